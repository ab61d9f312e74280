/** Now and a kept version heard in turn, at matched loudness, from the same moment around the strike line. */

import { useState } from "react";
import { live, player } from "../listening/player";
import { type Heard, useListening } from "../listening/state";
import { tell } from "../ui/messages";

interface Kept {
  id: number;
  name: string;
}

export function useComparing<V extends Kept>(versions: V[]) {
  const [against, setAgainst] = useState<number | null>(null);
  const [hearing, setHearing] = useState(false);
  /** The version as it was opened last. */
  const [other, setOther] = useState<Heard | null>(null);
  const compared = versions.find((one) => one.id === against) ?? null;
  /** ``hear`` opens a version, as loud as what is now; null when something else was wished meanwhile. */
  const compare = async (now: Heard | undefined, hear: (version: V) => Promise<Heard | null>) => {
    const version = compared ?? versions[versions.length - 1];
    if (!version || !now) {
      tell("Keep a version first (Ctrl S); then it is compared with what is now.");
      return;
    }
    setAgainst(version.id);
    const { heard } = useListening.getState();
    const around = heard ? (live.position - heard.opened.zero) / heard.opened.rate : 0;
    const next = hearing ? now : await hear(version);
    if (!next) return;
    setOther(hearing ? null : next);
    setHearing(!hearing);
    await player.swap(next, Math.max(0, around + next.opened.zero / next.opened.rate));
  };
  return { against, setAgainst, hearing, setHearing, compared, other: hearing ? other : null, compare };
}

export type Comparing<V extends Kept> = ReturnType<typeof useComparing<V>>;
