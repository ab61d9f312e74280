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
  /** The version that is heard in place of what is now. */
  const [other, setOther] = useState<Heard | null>(null);
  const hearing = other !== null;
  const compared = versions.find((one) => one.id === against) ?? null;
  /** ``hear`` opens a version, as loud as what is now; null when something else was wished meanwhile. */
  const compare = async (now: Heard | undefined, hear: (version: V) => Promise<Heard | null>) => {
    const version = compared ?? versions[versions.length - 1];
    if (!version) return tell("Keep a version first (Ctrl S); then it is compared with what is now.");
    if (!now) return tell("What is now is being made ready to be heard; then it is compared.");
    setAgainst(version.id);
    const next = hearing ? now : await hear(version);
    if (!next) return;
    // what plays has gone on while the version was opened
    const { heard } = useListening.getState();
    const around = heard ? (live.read - heard.opened.zero) / heard.opened.rate : 0;
    setOther(hearing ? null : next);
    await player.swap(next, Math.max(0, around + next.opened.zero / next.opened.rate));
  };
  /** What is heard is what is now again. */
  const stop = () => setOther(null);
  return { against, setAgainst, hearing, stop, compared, other, compare };
}

export type Comparing<V extends Kept> = ReturnType<typeof useComparing<V>>;
