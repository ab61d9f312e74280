/** How what is auditioned is heard: what leaves, and what is placed, is that, unless dry is chosen in the listening strip. */
import type { Schemas } from "../api/client";
import { useListening } from "../listening/state";

export type HeardSo = Schemas["Heard"];

export const DRY: HeardSo = { chain: [], part: null, speed_st: 0, gain_db: 0 };

/** Whether anything is changed in the audition. */
export function coloured(): boolean {
  const { through, speedSt, gainDb } = useListening.getState();
  return !!through?.chain.length || speedSt !== 0 || gainDb !== 0;
}

/** As sounds are heard now, with a part of the one that is heard where one is marked. */
export function heardSo(part: [number, number] | null = null): HeardSo {
  const { through, speedSt, gainDb, sendDry } = useListening.getState();
  if (sendDry) return { ...DRY, part };
  return { chain: through?.chain ?? [], part, speed_st: speedSt, gain_db: gainDb };
}

/** That in words: empty when sounds leave as they are. */
export function saidSo(heard: HeardSo): string {
  const { through } = useListening.getState();
  const told = [
    heard.chain?.length ? (through?.said ?? "through its chain") : "",
    heard.speed_st ? `${heard.speed_st > 0 ? "+" : ""}${heard.speed_st} st` : "",
    heard.gain_db ? `${heard.gain_db > 0 ? "+" : ""}${heard.gain_db} dB` : "",
  ].filter(Boolean);
  return told.length ? `, as heard (${told.join(", ")})` : "";
}
