/** What the pointer does on a wave view: marking a part, moving the anchor, a threshold, or an edge; a click plays from there. */
import { type PointerEvent, useRef, useState } from "react";
import { type Fade, HANDLE } from "../canvas/fades";
import { LOWEST_DB } from "../canvas/paint";
import { floorAt } from "../canvas/threshold";
import { type Band, fadeEdges, type Grabbed, levelY, RULER, toX } from "../canvas/wave";

type Edge = "start" | "end";
type Side = "in_s" | "out_s";
type Grip =
  | { kind: "mark"; from: number }
  | { kind: "fade"; side: Side }
  | { kind: "anchor" }
  | { kind: "threshold" }
  | { kind: "edge"; id: number; edge: Edge }
  | null;

/** What can be taken hold of, and what becomes of it. */
export interface Gripped {
  ready: boolean;
  width: number;
  height: number;
  lanes: number;
  total: number;
  view: [number, number];
  bands?: Band[];
  anchor?: number | null;
  over?: number;
  floors?: number[];
  faded?: [number, number];
  fade?: Fade;
  onFade?: (fade: Fade) => void;
  onMark: (part: [number, number] | null) => void;
  onPlayFrom: (seconds: number) => void;
  onAnchor?: (seconds: number) => void;
  onBand?: (id: number) => void;
  onEdge?: (id: number, edge: Edge, seconds: number, done: boolean) => void;
  onOver?: (db: number) => void;
}

/** No fade is longer. */
const LONGEST_S = 60;

/** So near (px) something is taken hold of. */
const NEAR = 5;

export function useGrips(on: Gripped) {
  const grip = useRef<Grip>(null);
  const moved = useRef(false);
  const [grabbed, setGrabbed] = useState<Grabbed>({});
  const { height, bands, anchor, over, width, lanes, total } = on;
  const x = (seconds: number) => toX(on, seconds);
  const toSeconds = (px: number) => on.view[0] + (px / Math.max(1, width)) * (on.view[1] - on.view[0]);
  const edgeAt = (px: number, some: Band[]): Grip => {
    for (const band of some)
      for (const edge of ["start", "end"] as const) if (Math.abs(px - x(band[edge])) < NEAR) return { kind: "edge", id: band.id, edge };
    return null;
  };
  const onThresholdLine = (px: number, y: number) => {
    if (over === undefined || !on.onOver) return false;
    const near = (at: number, sign: number) => y - levelY({ height, lanes }, floorAt(on, at) + over, sign);
    return [1, -1].some((sign) => Math.abs(near(px, sign)) < NEAR) || (px > width - 92 && Math.abs(near(width - 50, 1) + 12) < 10);
  };
  const fadeAt = (px: number, y: number): Grip => {
    const at = on.onFade && y > RULER && y < RULER + 2 * HANDLE + 2 ? fadeEdges(on) : null;
    const side = at && (Math.abs(px - at.rise) <= HANDLE + 1 ? "in_s" : Math.abs(px - at.fall) <= HANDLE + 1 ? "out_s" : null);
    return side ? { kind: "fade", side } : null;
  };
  const grab = (event: PointerEvent): Grip => {
    const box = event.currentTarget.getBoundingClientRect();
    const [px, y] = [event.clientX - box.left, event.clientY - box.top];
    if (anchor !== undefined && anchor !== null && on.onAnchor && Math.abs(px - x(anchor)) < 8 && y < RULER + 6) return { kind: "anchor" };
    const edge =
      on.onEdge && bands
        ? ((y > RULER + height - 26 ? edgeAt(px, bands) : null) ??
          (y > RULER
            ? edgeAt(
                px,
                bands.filter((one) => one.chosen),
              )
            : null))
        : null;
    if (edge) return edge;
    const fading = fadeAt(px, y);
    if (fading) return fading;
    return onThresholdLine(px, y) ? { kind: "threshold" } : { kind: "mark", from: toSeconds(px) };
  };
  const place = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    const px = event.clientX - box.left;
    return { at: Math.min(total, Math.max(0, toSeconds(px))), px, y: event.clientY - box.top };
  };
  const onPointerDown = (event: PointerEvent) => {
    if (event.button || !on.ready) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    grip.current = grab(event);
    moved.current = false;
  };
  const onPointerMove = (event: PointerEvent) => {
    const held = grip.current;
    if (!held) return;
    const { at, px, y } = place(event);
    if (held.kind === "mark") {
      if (!moved.current && Math.abs(x(at) - x(held.from)) < 4) return;
      on.onMark(at < held.from ? [at, held.from] : [held.from, at]);
    } else if (held.kind === "anchor") setGrabbed({ anchor: at });
    else if (held.kind === "fade") {
      if (!on.faded || !on.fade) return;
      const length = held.side === "in_s" ? at - on.faded[0] : on.faded[1] - at;
      setGrabbed({
        fade: { ...on.fade, [held.side]: Math.round(1000 * Math.max(0, Math.min(on.faded[1] - on.faded[0], LONGEST_S, length))) / 1000 },
      });
    } else if (held.kind === "edge") setGrabbed({ edge: { id: held.id, edge: held.edge, at } });
    else {
      const half = height / 2 / lanes;
      const share = Math.abs(RULER + half - y) / (half * 0.94);
      setGrabbed({ over: Math.max(1, Math.min(-1, (Math.min(1, share) - 1) * LOWEST_DB) - floorAt(on, px)) });
    }
    moved.current = true;
  };
  const onPointerUp = (event: PointerEvent) => {
    const held = grip.current;
    grip.current = null;
    if (!held) return;
    const { at } = place(event);
    if (held.kind === "mark" && !moved.current) {
      const band = bands?.find((one) => at >= one.start && at <= one.end);
      if (band && on.onBand) on.onBand(band.id);
      on.onPlayFrom(at);
    } else if (held.kind === "anchor" && grabbed.anchor !== undefined) on.onAnchor?.(grabbed.anchor);
    else if (held.kind === "fade" && grabbed.fade) on.onFade?.(grabbed.fade);
    else if (held.kind === "edge" && grabbed.edge) on.onEdge?.(held.id, held.edge, grabbed.edge.at, true);
    else if (held.kind === "threshold" && grabbed.over !== undefined) on.onOver?.(grabbed.over);
    setGrabbed({});
  };
  return { grabbed, pointer: { onPointerDown, onPointerMove, onPointerUp } };
}
