/** Frames of a scene: moments, numbers and time code. */
import type { Schemas } from "../../api/client";
import { frameRate, timeCode } from "../../canvas/ruler";

export type Scene = Schemas["Scene"];
export type Cue = Schemas["Cue"];
export type Place = Schemas["Place"];
export type Film = Schemas["FilmView"];

/** The moment (s) a frame begins, to a microsecond, as placements have it. */
export const momentOf = (frame: number, scene: Scene) => Number((frame / frameRate(scene.frame_rate).exact).toFixed(6));

/** Share of a frame a moment may lie before it and still be on it: a playhead lies on a sample. */
const ROUNDED = 0.005;

/** The frame that is on at a moment (s). */
export const frameAt = (at: number, scene: Scene) =>
  Math.min(scene.frames - 1, Math.max(0, Math.floor(at * frameRate(scene.frame_rate).exact + ROUNDED)));

/** The frame whose beginning lies nearest to a moment (s). */
export const nearestFrame = (at: number, scene: Scene) => Math.round(at * frameRate(scene.frame_rate).exact);

/** A frame of the scene as time code, counted from the film's own. */
export function codeOf(frame: number, scene: Scene): string {
  const { exact } = frameRate(scene.frame_rate);
  return timeCode((scene.start + frame) / exact, scene.frame_rate);
}

/** The frame of what was typed: time code, whole or from its end on ("9:17"), or a frame of the film with an f; null when it is none. */
export function frameOf(text: string, scene: Scene): number | null {
  const plain = text.trim();
  const alone = /^(\d+)\s*f$/i.exec(plain);
  if (alone) return Number(alone[1]);
  if (!/^\d{1,3}([:;.]\d{1,2}){1,3}$/.test(plain)) return null;
  const parts = plain.split(/[:;.]/).map(Number);
  const { nominal, dropped } = frameRate(scene.frame_rate);
  const [hours, minutes, seconds, frames] = [...Array(4 - parts.length).fill(null), ...parts] as (number | null)[];
  // what is left out in front is that of the film's first frame
  const first = codeOf(0, scene).split(/[:;]/).map(Number);
  const [h, m, s] = [hours ?? first[0], minutes ?? (hours === null ? first[1] : 0), seconds ?? 0];
  if ((frames ?? 0) >= nominal || s > 59 || m > 59) return null;
  const whole = 60 * h + m;
  if ((frames ?? 0) < dropped && s === 0 && m % 10) return null; // a number that is left out
  return (60 * whole + s) * nominal + (frames ?? 0) - dropped * (whole - Math.floor(whole / 10)) - scene.start;
}

/** The number of a scene's first frame when it is counted otherwise: the one of the same time code, the next where that is left out. */
export function recounted(scene: Scene, rate: string): number {
  const code = codeOf(0, scene);
  const other = { ...scene, frame_rate: rate, start: 0 };
  const next = `${code.slice(0, -2)}${String(frameRate(rate).dropped).padStart(2, "0")}`;
  return frameOf(code, other) ?? frameOf(next, other) ?? scene.start ?? 0;
}
