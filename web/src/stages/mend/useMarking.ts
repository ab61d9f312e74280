/** Marks of a reel: set by a key where it plays or on what is dragged over, moved, altered, removed. */
import { useMemo, useState } from "react";
import type { Band } from "../../canvas/wave";
import { player } from "../../listening/player";
import { tell } from "../../ui/messages";
import { COLOURS, type Mark, type MarkKind, partHeard, placeOf, type Reel } from "./marks";
import type { EditedReel } from "./useReel";

/** ``strip`` tells where it plays (s of the row), ``loop`` what is dragged over; ``play`` goes to a moment. */
export function useMarking(edited: EditedReel, strip: () => number, loop: [number, number] | null, play: (at: number) => void) {
  const { view, now, reel, history, change, found } = edited;
  const [chosen, setChosen] = useState<number | null>(null);
  const spans = useMemo(
    () =>
      reel.marks.map((mark): [number, number] => {
        const start = view.takes.find((take) => take.id === mark.take)?.start_s ?? 0;
        return [start + mark.start_s, start + mark.end_s];
      }),
    [reel.marks, view.takes],
  );
  const markAt = (at: number): Mark | undefined => {
    const here = reel.marks.filter((_, i) => at >= spans[i][0] && at <= spans[i][1]);
    return here.find((mark) => mark.id === chosen) ?? here[0];
  };
  const add = (take: number, [start, end]: [number, number], kind: MarkKind, chain: Reel["chain"] = []) => {
    const { marks } = history.now() ?? reel;
    const id = Math.max(0, ...marks.map((mark) => mark.id)) + 1;
    const mark: Mark = { id, take, start_s: Number(start.toFixed(4)), end_s: Number(end.toFixed(4)), kind, words: "", category: "", chain };
    change({ marks: [...marks, mark] });
    setChosen(id);
  };
  const markAs = (kind: MarkKind) => {
    const at = strip();
    const known = loop ? undefined : markAt(at);
    const chain = kind === "material" ? reel.chain : [];
    if (known) {
      setChosen(known.id);
      if (known.kind !== kind) change({ marks: reel.marks.map((mark) => (mark.id === known.id ? { ...mark, kind, chain } : mark)) });
      return;
    }
    const part = partHeard(now, found, at, loop, kind);
    if (!part) {
      tell("There is nothing to mark here yet: play on, or drag over a part.");
      return;
    }
    add(placeOf(now, loop ? loop[0] : at).take.id, part, kind, chain);
    if (loop) player.setLoop(null);
  };
  const current = reel.marks.find((mark) => mark.id === chosen);
  const alter = (id: number, values: Partial<Mark>, gesture?: string) =>
    change({ marks: reel.marks.map((mark) => (mark.id === id ? { ...mark, ...values } : mark)) }, gesture);
  const remove = (id: number) => {
    change({ marks: reel.marks.filter((mark) => mark.id !== id) });
    setChosen(null);
  };
  const setEdge = (id: number, edge: "start" | "end", at: number, gesture?: string) => {
    const mark = reel.marks.find((one) => one.id === id);
    const take = view.takes.find((one) => one.id === mark?.take);
    if (!mark || !take) return;
    const own = Number(Math.min(take.seconds, Math.max(0, at - take.start_s)).toFixed(4));
    if (edge === "start" ? own < mark.end_s - 0.02 : own > mark.start_s + 0.02)
      alter(id, edge === "start" ? { start_s: own } : { end_s: own }, gesture);
  };
  const nudge = (event: KeyboardEvent, sign: number) => {
    const take = view.takes.find((one) => one.id === current?.take);
    if (current && take) setEdge(current.id, "start", take.start_s + current.start_s + sign * (event.shiftKey ? 0.1 : 0.01), `nudge ${current.id}`);
  };
  const jump = (by: 1 | -1) => {
    const at = strip();
    const starts = [
      ...new Set([
        ...found.filter((one) => one.kind === "event").map((one) => one.start),
        ...spans.filter((_, i) => reel.marks[i].kind !== "noise").map(([start]) => start),
      ]),
    ].sort((a, b) => a - b);
    const next = by > 0 ? starts.find((start) => start > at + 0.15) : starts.findLast((start) => start < at - 0.6);
    if (next === undefined) return;
    play(next);
    setChosen(reel.marks.find((_, i) => Math.abs(spans[i][0] - next) < 0.001)?.id ?? null);
  };
  const bands = useMemo(
    (): Band[] =>
      reel.marks.map((mark, i) => ({
        id: mark.id,
        start: spans[i][0],
        end: spans[i][1],
        label: mark.words || mark.kind,
        chosen: mark.id === chosen,
        dropped: false,
        colour: COLOURS[mark.kind],
      })),
    [reel.marks, spans, chosen],
  );
  return { chosen, setChosen, spans, bands, current, markAt, markAs, add, alter, remove, setEdge, nudge, jump };
}
