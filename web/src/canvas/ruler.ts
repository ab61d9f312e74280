/** Rulers and positions in the unit of choice. Free of React. */
import { clock } from "../ui/format";

/** What rulers and positions show, and how that is called in a choice. */
export const UNITS = [
  ["fitting", "Seconds, minutes in long sounds"],
  ["seconds", "Seconds"],
  ["minutes", "Minutes and seconds"],
  ["samples", "Samples"],
  ["24", "Time code, 24 a second"],
  ["25", "Time code, 25 a second"],
  ["30", "Time code, 30 a second"],
] as const;

export type Unit = (typeof UNITS)[number][0];

/** Room one mark of a ruler needs (px). */
const LEAST_PX = 78;
const LONG_S = 60;
const ROUND_S = [0.0001, 0.0005, 0.001, 0.005, 0.01, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600];

const framesIn = (unit: Unit) => (/^\d/.test(unit) ? Number(unit) : 0);

/** Steps a ruler may have in a unit (s), the smallest first. */
function steps(unit: Unit, rate: number): number[] {
  if (unit === "samples") return [...Array(12).keys()].flatMap((power) => [1, 2, 5].map((one) => (one * 10 ** power) / rate));
  const frames = framesIn(unit);
  return frames ? [...[1, 2, 5].map((one) => one / frames), ...ROUND_S.filter((one) => one >= 0.5 && Number.isInteger(one * frames))] : ROUND_S;
}

const pair = (value: number) => String(value).padStart(2, "0");

/** Hours, minutes, seconds and frames of a moment, counted without dropping any (SMPTE ST 12-1); the frame that is on then. */
export function timeCode(at: number, frames: number): string {
  const all = Math.floor(Math.abs(at) * frames + 1e-6);
  const whole = Math.floor(all / frames);
  return `${at < 0 ? "-" : ""}${[Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60, all % frames].map(pair).join(":")}`;
}

/** A moment (s) in a unit, with so many digits where it has some. */
export function inUnit(at: number, unit: Unit, rate: number, digits = 3): string {
  if (unit === "samples")
    return Math.round(at * rate)
      .toLocaleString("en")
      .replaceAll(",", "\u2009");
  if (unit === "minutes") return clock(at, digits);
  const frames = framesIn(unit);
  return frames ? timeCode(at, frames) : `${at.toFixed(digits)} s`;
}

export interface Mark {
  at: number;
  text: string;
}

/** Marks of a ruler over a view (s) drawn so many pixels wide; ``total`` is how long all of it is (s). */
export function marks(view: [number, number], pixels: number, unit: Unit, rate: number, total: number): Mark[] {
  const least = ((view[1] - view[0]) / Math.max(1, pixels)) * LEAST_PX;
  const every = steps(unit, rate);
  const step = every.find((one) => one >= least) ?? every[every.length - 1];
  const shown = unit === "fitting" ? (total >= LONG_S ? "minutes" : "seconds") : unit;
  const digits = step < 0.01 ? 4 : step < 1 ? 2 : 0;
  const first = Math.ceil(view[0] / step - 1e-9);
  const count = Math.max(0, Math.floor(view[1] / step + 1e-9) - first + 1);
  return [...Array(count).keys()].map((place) => {
    const at = (first + place) * step;
    return { at, text: inUnit(at, shown, rate, digits) };
  });
}
