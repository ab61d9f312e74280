/** Frequency axes of spectrograms. */

export type Axis = "log" | "linear" | "mel";

/** Height 0 (top) to 1 of a frequency on a spectrogram's axis, as oskren/core/measure/peaks.py has it. */
export function axisHeight(hz: number, axis: Axis, rate: number): number {
  const top = axis === "linear" ? rate / 2 : Math.min(20_000, rate / 2);
  if (axis === "linear") return 1 - hz / top;
  if (axis === "mel") return 1 - Math.log10(1 + hz / 700) / Math.log10(1 + top / 700);
  return Math.log(top / hz) / Math.log(top / 40);
}

export const AXIS_MARKS: Record<Axis, number[]> = {
  log: [100, 300, 1000, 3000, 10_000],
  mel: [200, 500, 1000, 2000, 5000, 10_000],
  linear: [2000, 5000, 10_000, 15_000, 20_000, 30_000, 40_000],
};
