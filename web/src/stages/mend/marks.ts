/** Marks of a review reel: where a key pressed while listening puts one, and where it lies on the strip. */
import type { Schemas } from "../../api/client";
import type { Ink } from "../../ui/theme";

export type Reel = Schemas["Reel"];
export type Mark = Schemas["Mark"];
export type ReelView = Schemas["ReelView"];
export type Suggestions = Schemas["Suggestions"];
export type MarkKind = Mark["kind"];

export const COLOURS: Record<MarkKind, keyof Ink> = { keep: "glass", maybe: "sky", noise: "faint", material: "plum" };
export const HINTS: Record<string, keyof Ink> = { event: "dim", quiet: "sky", bump: "coral", clipped: "coral" };

/** A moment of the strip as take and moment of it; the take before when it lies in a gap. */
export function placeOf(view: ReelView, strip: number): { take: ReelView["takes"][number]; at: number } {
  const before = view.takes.filter((take) => take.start_s <= strip);
  const take = before[before.length - 1] ?? view.takes[0];
  return { take, at: Math.min(take.seconds, Math.max(0, strip - take.start_s)) };
}

export interface Found {
  start: number;
  end: number;
  kind: string;
  strength: number;
  take: number;
}

/** Suggestions of all takes on the strip, in order. */
export function onStrip(view: ReelView, found: Record<number, Suggestions | undefined>): Found[] {
  return view.takes.flatMap((take) =>
    (found[take.id]?.found ?? []).map((one) => ({
      start: take.start_s + one.start_s,
      end: take.start_s + one.end_s,
      kind: one.kind,
      strength: one.strength,
      take: take.id,
    })),
  );
}

const LEAST_S = 0.05;

/** The part a key means while listening: the looped part, the event heard now or just before, else what lies behind since the last mark; null when that is nothing. */
export function partHeard(view: ReelView, found: Found[], strip: number, loop: [number, number] | null, kind: MarkKind): [number, number] | null {
  const { take, at } = placeOf(view, loop ? loop[0] : strip);
  const inside = ([start, end]: [number, number]): [number, number] => [
    Math.max(0, start - take.start_s),
    Math.min(take.seconds, Math.max(start - take.start_s + LEAST_S, end - take.start_s)),
  ];
  if (loop) return inside(loop);
  const wanted = found.filter((one) => one.take === take.id && one.kind === (kind === "noise" ? "quiet" : "event"));
  const here = wanted.find((one) => strip >= one.start && strip <= one.end) ?? wanted.findLast((one) => one.end < strip && strip - one.end < 2);
  if (here) return inside([here.start, here.end]);
  const behind = view.reel.marks.filter((mark) => mark.take === take.id && mark.end_s <= at).map((mark) => mark.end_s);
  const start = Math.max(0, at - (kind === "noise" ? 1 : 4), ...behind);
  return at - start < 4 * LEAST_S ? null : [start, at];
}

/** The first moment after ``strip`` that is worth hearing; null inside an event, or when nothing follows. */
export function afterSilence(found: Found[], marks: [number, number][], strip: number): number | null {
  const worth = [...found.filter((one) => one.kind === "event").map((one): [number, number] => [one.start, one.end]), ...marks];
  if (!worth.length || worth.some(([start, end]) => strip >= start - 0.02 && strip <= end)) return null;
  const next = worth.map(([start]) => start).filter((start) => start > strip);
  return next.length ? Math.min(...next) : null;
}
