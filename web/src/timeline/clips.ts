/** What is placed on a lane, as the timeline knows it, and what can be done to it by hand. Times are s; ``source`` times are those of the sound itself. */
import type { Envelope } from "../api/client";
import type { Moved } from "../mix/edits";
import { carried, speedOf } from "../mix/line";
import type { Ink } from "../ui/theme";

/** A fade at each end: its length, and its curve by name. */
export interface Fades {
  in_s: number;
  out_s: number;
  in_shape: string;
  out_shape: string;
}

export interface Placed {
  id: string;
  name: string;
  /** Where its anchor lies on the lane, and which moment of the source that is. */
  at_s: number;
  anchor_s: number;
  seconds: number;
  /** Where the server last laid its beginning: what is dragged waits for it. */
  laid_s: number;
  /** How long its source is, and which part of it is heard. */
  whole_s: number;
  start_s: number | null;
  end_s: number | null;
  /** Pairs (own time, source time) between which moments are carried along straight lines. */
  line: readonly number[][];
  picture: { digest: string; frames: number; channels: number };
  fades: Fades;
  gain_db: number;
  tone: readonly [keyof Ink, keyof Ink];
  /** Nothing of it is moved; or only where it lies. */
  locked: boolean;
  frozen: boolean;
  hint: string;
  /** What is written behind its name: its pitch, how many steps it goes through. */
  words: string[];
  curve: Envelope | null;
}

/** The number a curve on the lane moves, and the range it is drawn over. */
export interface Drawn extends Moved {
  unit: string;
  low: number;
  high: number;
  log?: boolean;
  normal: number;
}

export interface ClipActs {
  choose: (id: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void;
  /** Pressed and not dragged: it alone is chosen, of the several it was among. */
  alone: (id: string) => void;
  /** What goes along when one is dragged. */
  together: (id: string) => string[];
  shift: (ids: string[], by_s: number) => void;
  /** Where an anchor that is moved to a moment (s) comes to lie, where it does not lie anywhere. */
  snap?: (at_s: number) => number;
  /** The moment under what is moved, while it is moved; null when it is let go. */
  seen?: (at_s: number | null) => void;
  trim: (id: string, edges: { start_s?: number; end_s?: number }) => void;
  fade: (id: string, length: { in_s?: number; out_s?: number }) => void;
  anchor: (id: string, source_s: number, at_s: number) => void;
  slip: (id: string, to: { at_s: number; start_s: number; end_s: number }) => void;
  curve: (id: string, envelope: Envelope) => void;
}

export type Grip = "move" | "slip" | "start" | "end" | "fadeIn" | "fadeOut" | "anchor";

/** The shortest something may become (s). */
const SHORTEST_S = 0.002;
const round = (value: number) => Number(value.toFixed(6));
const within = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

/** Where the anchor lies in what is placed. */
export const anchorIn = (clip: Placed) => carried(clip.line, clip.anchor_s, 0);

/** The moment (s) under a grip that is moved by so much: that of the anchor, or of the edge. */
export function under(clip: Placed, grip: Grip, by: number): number {
  if (grip === "start" || grip === "fadeIn") return clip.laid_s + by + (grip === "fadeIn" ? clip.fades.in_s : 0);
  if (grip === "end" || grip === "fadeOut") return clip.laid_s + clip.seconds + by - (grip === "fadeOut" ? clip.fades.out_s : 0);
  return grip === "slip" ? clip.at_s : clip.at_s + by;
}

/** By how much (s) a grip may be moved: edges stay inside the source and apart, fades inside what is placed. */
export function bounded(clip: Placed, grip: Grip, by: number): number {
  const forward = speedOf(clip.line) > 0;
  const [first, last] = [carried(clip.line, forward ? 0 : clip.whole_s, 0), carried(clip.line, forward ? clip.whole_s : 0, 0)];
  const anchor = anchorIn(clip);
  if (grip === "start") return within(by, first, clip.seconds - SHORTEST_S);
  if (grip === "end") return within(by, SHORTEST_S - clip.seconds, last - clip.seconds);
  if (grip === "slip") return within(by, clip.seconds - last, -first);
  if (grip === "anchor") return within(by, -anchor, clip.seconds - anchor);
  if (grip === "fadeIn") return within(by, -clip.fades.in_s, clip.seconds - clip.fades.in_s);
  if (grip === "fadeOut") return within(by, clip.fades.out_s - clip.seconds, clip.fades.out_s);
  return by;
}

/** What comes of a grip moved by so much (s). */
export function commit(clip: Placed, grip: Grip, by: number, ids: string[], acts: ClipActs) {
  const { id, line, whole_s, seconds, fades } = clip;
  const forward = speedOf(line) > 0;
  const source = (own: number) => round(within(carried(line, own, 1), 0, whole_s));
  if (grip === "move") acts.shift(ids, by);
  else if (grip === "start") acts.trim(id, { [forward ? "start_s" : "end_s"]: source(by) });
  else if (grip === "end") acts.trim(id, { [forward ? "end_s" : "start_s"]: source(seconds + by) });
  else if (grip === "fadeIn") acts.fade(id, { in_s: round(within(fades.in_s + by, 0, seconds)) });
  else if (grip === "fadeOut") acts.fade(id, { out_s: round(within(fades.out_s - by, 0, seconds)) });
  else if (grip === "anchor") acts.anchor(id, round(carried(line, anchorIn(clip) + by, 1)), round(clip.at_s + by));
  else {
    const to = slipped(clip, by);
    if (to) acts.slip(id, to);
  }
}

type Slippable = Pick<Placed, "at_s" | "start_s" | "end_s" | "whole_s" | "line">;

/** What is inside moved by so much (s) under edges that stay; null where the source has no more on that side. */
export function slipped({ at_s, start_s, end_s, whole_s, line }: Slippable, by: number): { at_s: number; start_s: number; end_s: number } | null {
  const [start, end] = [start_s ?? 0, Math.min(end_s ?? whole_s, whole_s)];
  const wanted = carried(line, -by, 1) - carried(line, 0, 1);
  const moved = within(wanted, -start, whole_s - end);
  if (Math.abs(moved) < 1e-6) return null;
  return { at_s: round(at_s + by * (moved / wanted)), start_s: round(start + moved), end_s: round(end + moved) };
}
