/** How what is auditioned is heard: what leaves, and what is placed, is that, unless dry is chosen in the listening strip. */
import type { Schemas } from "../api/client";
import { isFaded, NO_FADE } from "../canvas/fades";
import { useListening } from "../listening/state";

export type HeardSo = Schemas["Heard"];

export const DRY: HeardSo = { chain: [], part: null, fade: NO_FADE, speed_st: 0, gain_db: 0 };

/** Whether anything is changed in the audition. */
export function coloured(): boolean {
  const { through, speedSt, gainDb } = useListening.getState();
  return through !== null || speedSt !== 0 || gainDb !== 0;
}

/** As sounds are heard now, with a part of the one that is heard where one is marked. */
export function heardSo(part: [number, number] | null = null): HeardSo {
  const { through, speedSt, gainDb, sendDry } = useListening.getState();
  if (sendDry) return { ...DRY, part };
  return { chain: through?.chain ?? [], part, fade: through?.fade ?? NO_FADE, speed_st: speedSt, gain_db: gainDb };
}

/** Whether nothing is done to a sound that leaves like this. */
export function isDry(heard: HeardSo): boolean {
  return !heard.part && !heard.chain?.length && !isFaded(heard.fade) && !heard.speed_st && !heard.gain_db;
}

/** How sounds leave, in words: empty when sounds leave as they are. */
export function saidSo(heard: HeardSo): string {
  const { through } = useListening.getState();
  const told = [
    heard.chain?.length || isFaded(heard.fade) ? (through?.said ?? "through its chain") : "",
    heard.speed_st ? `${heard.speed_st > 0 ? "+" : ""}${heard.speed_st} st` : "",
    heard.gain_db ? `${heard.gain_db > 0 ? "+" : ""}${heard.gain_db} dB` : "",
  ].filter(Boolean);
  return told.length ? `, as heard (${told.join(", ")})` : "";
}
