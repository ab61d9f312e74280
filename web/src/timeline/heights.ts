/** How tall waveforms are drawn: the loudest in view fills its lane, taller or lower by key, straight or in dB. */
import { create } from "zustand";
import type { PeakData } from "../canvas/paint";
import { useKeys } from "../ui/keys";

const STEP_DB = 3;
const MOST_DB = 36;
/** Quieter than this (of full scale) is not drawn any taller: it would be noise alone. */
const QUIETEST = 1 / 64;

interface Heights {
  /** By how much taller than filling the lane (dB). */
  byDb: number;
  /** Drawn in dB, so that quiet tails can be seen beside hits. */
  inDb: boolean;
}

const kept = JSON.parse(localStorage.getItem("heights") ?? "null") as Heights | null;

export const useHeights = create<Heights>(() => kept ?? { byDb: 0, inDb: false });
useHeights.subscribe((now) => localStorage.setItem("heights", JSON.stringify(now)));

/** The keys of heights, the same in every stage. */
export function useHeightKeys() {
  const by = (step: number) => () => useHeights.setState(({ byDb }) => ({ byDb: Math.min(MOST_DB, Math.max(-MOST_DB, byDb + step)) }));
  useKeys({ taller: by(STEP_DB), lower: by(-STEP_DB), inDb: () => useHeights.setState(({ inDb }) => ({ inDb: !inDb })) });
}

/** The largest magnitude of what is drawn, 1 at full scale. */
export function loudest({ values }: PeakData): number {
  let most = 0;
  for (const value of values) most = Math.max(most, Math.abs(value));
  return most / 32767;
}

/** The factor that makes a magnitude fill its lane, as tall as is wished. */
export function filling(most: number, byDb: number): number {
  return (most > 0 ? 1 / Math.max(most, QUIETEST) : 1) * 10 ** (byDb / 20);
}

/** Magnitudes of what lies on lanes, by digest, as their pictures come: lanes are drawn by the loudest of them. */
export const useMagnitudes = create<Record<string, number>>(() => ({}));
