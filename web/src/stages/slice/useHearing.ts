/** Hearing slices one by one, or one after the other. */

import { useEffect, useState } from "react";
import type { Node } from "../../api/client";
import { openToHear } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import type { Piece, PlanView } from "./usePlan";

export function useHearing(
  loaded: PlanView,
  view: PlanView,
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
  const play = async (piece: { id: number; start_s: number; end_s: number }, no: number) => {
    setChosen(piece.id);
    setPlayingSlice(piece.id);
    const found = await openToHear(
      {
        node: raw
          ? { kind: "excerpt", node, start_s: piece.start_s, end_s: piece.end_s }
          : { kind: "chained", from_zero: false, node: { kind: "excerpt", node, start_s: piece.start_s, end_s: piece.end_s }, chain: view.finishing },
      },
      library,
      `Slice ${no} of ${loaded.name}`,
    );
    if (found) await player.play(found);
  };
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
  return { raw, setRaw, through, setThrough, playingSlice, setPlayingSlice, choose, step };
}
