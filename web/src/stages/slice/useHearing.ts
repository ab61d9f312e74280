/** Hearing slices one by one, or one after the other. */

import { useEffect, useRef, useState } from "react";
import { api, got, type Node } from "../../api/client";
import { openToHear, openWhole } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import type { Piece, PlanView } from "./usePlan";

/** So much of an edge is heard (s), and so much before the seam of a loop. */
const EDGE_S = 0.25;
const SEAM_S = 1.5;

export function useHearing(
  loaded: PlanView,
  saved: () => Promise<void>,
  shown: Piece[],
  chosen: number | null,
  setChosen: (id: number) => void,
  zoom: [number, number],
  setZoom: (zoom: [number, number]) => void,
) {
  const library = useShared((state) => state.library);
  const node = loaded.node as Node;
  const total = loaded.seconds;
  const playing = useListening((state) => state.playing);
  const [raw, setRaw] = useState(false);
  const [through, setThrough] = useState(false);
  const [playingSlice, setPlayingSlice] = useState<number | null>(null);
  /** What was asked to be heard last: answers that come later than that of another key are not heard. */
  const asked = useRef(0);
  /** Hear something unless something else was asked for meanwhile. */
  const inTurn = async (work: (late: () => boolean) => Promise<void>) => {
    const mine = ++asked.current;
    try {
      await work(() => mine !== asked.current);
    } catch (error) {
      complain(error);
    }
  };
  /** A slice as its one-shot will be, by what the plan says now. */
  const finished = async (id: number) => {
    await saved();
    const path = { library, id: loaded.sound };
    return (await got(api.POST("/api/lib/{library}/plans/{id}/one-shots", { params: { path }, body: { ids: [id] } }))).at(0);
  };
  const hear = async (made: Node, title: string, late: () => boolean) => {
    const found = await openToHear({ node: made }, library, title);
    if (found && !late()) await player.play(found);
  };
  const play = (piece: { id: number; start_s: number; end_s: number }, no: number) =>
    inTurn(async (late) => {
      setChosen(piece.id);
      setPlayingSlice(piece.id);
      const one: Node | undefined = raw ? { kind: "excerpt", node, start_s: piece.start_s, end_s: piece.end_s } : (await finished(piece.id))?.node;
      if (one && !late()) await hear(one, `Slice ${no} of ${loaded.name}`, late);
    });
  /** The end of a loop and its start, again and again. */
  const hearSeam = (piece: Piece) =>
    inTurn(async (late) => {
      const one = await finished(piece.id);
      const from = one?.loops_from_s;
      if (!one || from == null) return tell("This slice has no loop; & finds the best one.");
      const found = await openToHear({ node: one.node }, library, `Loop of slice ${piece.no}`);
      if (!found || late()) return;
      const end = found.opened.frames / found.opened.rate;
      setPlayingSlice(piece.id);
      await player.play(found, Math.max(from, end - SEAM_S), [from, end]);
    });
  /** How a slice begins and how it ends, one after the other. */
  const hearEdges = (piece: Piece) =>
    inTurn(async (late) => {
      const one = await finished(piece.id);
      if (!one) return;
      const { frames, rate } = await openWhole(library, { node: one.node });
      const part = Math.min(EDGE_S, frames / rate / 2);
      const edges: Node[] = [
        { kind: "excerpt", node: one.node, start_s: 0, end_s: part },
        { kind: "excerpt", node: one.node, start_s: frames / rate - part, end_s: frames / rate },
      ];
      await hear({ kind: "row", nodes: edges, gap_s: EDGE_S }, `Edges of slice ${piece.no}`, late);
    });
  const choose = (id: number, sound = true) => {
    const at = shown.findIndex((piece) => piece.id === id);
    if (at < 0) return;
    const piece = shown[at];
    setChosen(id);
    if (piece.start_s < zoom[0] || piece.end_s > zoom[1]) {
      const span = zoom[1] - zoom[0];
      const start = Math.max(0, Math.min(total - span, piece.start_s - span * 0.3));
      setZoom([start, start + span]);
    }
    if (sound) void play(piece, piece.no);
  };
  const step = (by: number) => {
    const at = shown.findIndex((piece) => piece.id === chosen);
    const next = shown[Math.max(0, Math.min(shown.length - 1, at + by))];
    if (next) choose(next.id);
  };
  // play through: the next kept slice follows when one ends
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the end of a sound is a reason
  useEffect(() => {
    if (playing || !through || playingSlice === null) return;
    const after = shown.filter((piece) => !piece.dropped);
    const next = after[after.findIndex((piece) => piece.id === playingSlice) + 1];
    if (next && live.position === 0) choose(next.id);
    else setThrough(false);
  }, [playing]);
  return { finished, hearSeam, hearEdges, raw, setRaw, through, setThrough, playingSlice, setPlayingSlice, choose, step };
}
