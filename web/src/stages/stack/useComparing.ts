/** Now and a kept version heard in turn, at matched loudness, from the same moment around the strike line. */

import { useState } from "react";
import type { Node } from "../../api/client";
import { openToHear } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { type Heard, useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { tell } from "../../ui/messages";
import type { Version } from "./Versions";

export function useComparing(versions: Version[], name: string) {
  const library = useShared((state) => state.library);
  const [against, setAgainst] = useState<number | null>(null);
  const [hearing, setHearing] = useState(false);
  const compared = versions.find((one) => one.id === against) ?? null;
  const compare = async (now: Heard | undefined, lufs: number | null) => {
    const other = compared ?? versions[versions.length - 1];
    if (!other || !now) {
      tell("Keep a version first (Ctrl S); then it is compared with what is now.");
      return;
    }
    setAgainst(other.id);
    const { heard } = useListening.getState();
    const around = heard ? (live.position - heard.opened.zero) / heard.opened.rate : 0;
    const next = hearing
      ? now
      : await openToHear({ node: other.mix as Node }, library, name, {
          matchDb: (lufs ?? 0) - (other.lufs ?? lufs ?? 0),
        });
    if (!next) return;
    setHearing(!hearing);
    await player.swap(next, Math.max(0, around + next.opened.zero / next.opened.rate));
  };
  return { against, setAgainst, hearing, setHearing, compared, compare };
}
