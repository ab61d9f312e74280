/** Rulers and positions in the unit of choice. Free of React. */
import { clock } from "../ui/format";

/** What rulers and positions can show, and how that is called in a choice. */
export const UNITS = [
  ["fitting", "Seconds, minutes in long sounds"],
  ["seconds", "Seconds"],
  ["minutes", "Minutes and seconds"],
  ["samples", "Samples"],
  ["code", "Time code"],
] as const;

export type UnitChoice = (typeof UNITS)[number][0];

/** A unit to draw in; time code with the frame rate it counts at. */
export type Unit = Exclude<UnitChoice, "code"> | `code ${string}`;

export const unitAt = (chosen: UnitChoice, rate: string): Unit => (chosen === "code" ? `code ${rate}` : chosen);

/** Frames a second, frames that are counted a second, and numbers dropped a minute, by the name of a frame rate as the core has them (oskren/core/timecode.py). */
export function frameRate(name: string): { exact: number; nominal: number; dropped: number } {
  const nominal = Math.round(Number.parseFloat(name));
  const video = name.includes(".");
  return { exact: video ? (nominal * 1000) / 1001 : nominal, nominal, dropped: name.endsWith("drop") ? nominal / 15 : 0 };
}

/** Room one mark of a ruler needs (px). */
const LEAST_PX = 78;
const LONG_S = 60;
const ROUND_S = [0.0001, 0.0005, 0.001, 0.005, 0.01, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600];

const codeOf = (unit: Unit) => (unit.startsWith("code ") ? unit.slice(5) : "");

/** Steps a ruler may have in a unit (s), the smallest first. */
function steps(unit: Unit, rate: number): number[] {
  if (unit === "samples") return [...Array(12).keys()].flatMap((power) => [1, 2, 5].map((one) => (one * 10 ** power) / rate));
  const code = codeOf(unit);
  if (!code) return ROUND_S;
  const { exact, nominal } = frameRate(code);
  return [
    ...[1, 2, 5].map((one) => one / exact),
    ...ROUND_S.filter((one) => one >= 0.5 && Number.isInteger(one * nominal)).map((one) => (one * nominal) / exact),
  ];
}

const pair = (value: number) => String(value).padStart(2, "0");

/** Hours, minutes, seconds and frames of a moment (s): of the frame that is on then. */
export function timeCode(at: number, name: string): string {
  const { exact, nominal, dropped } = frameRate(name);
  let frame = Math.floor(Math.abs(at) * exact + 1e-6);
  if (dropped) {
    const minute = 60 * nominal - dropped;
    const ten = 10 * minute + dropped;
    // the first minute of ten is whole
    frame += dropped * (9 * Math.floor(frame / ten) + Math.floor(Math.max(0, (frame % ten) - dropped) / minute));
  }
  const whole = Math.floor(frame / nominal);
  const clocked = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60, whole % 60].map(pair).join(":");
  return `${at < 0 ? "-" : ""}${clocked}${dropped ? ";" : ":"}${pair(frame % nominal)}`;
}

/** A moment (s) in a unit, with so many digits where it has some. */
export function inUnit(at: number, unit: Unit, rate: number, digits = 3): string {
  if (unit === "samples")
    return Math.round(at * rate)
      .toLocaleString("en")
      .replaceAll(",", "\u2009");
  if (unit === "minutes") return clock(at, digits);
  const code = codeOf(unit);
  return code ? timeCode(at, code) : `${at.toFixed(digits)} s`;
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
