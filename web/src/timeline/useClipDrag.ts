/** Dragging what lies on a lane: the drawing moves at once, the sound when it is let go. */
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { bounded, type ClipActs, commit, type Grip, type Placed, under } from "./clips";

/** Pixels a press may move before it is a drag. */
const STILL_PX = 2;

/** ``scale`` is pixels a second. Gives by how many pixels each grip is moved now, and what the pointer does. */
export function useClipDrag(clip: Placed, scale: number, chosen: boolean, acts: ClipActs) {
  const [by, setBy] = useState<{ grip: Grip; dx: number } | null>(null);
  const drag = useRef<{ grip: Grip; x: number; dx: number; ids: string[] } | null>(null);
  const others = (ids: string[], element: HTMLElement) =>
    ids.flatMap((id) => [...(element.closest("[data-lanes]")?.querySelectorAll<HTMLElement>(`[data-clip="${id}"]`) ?? [])]);
  const onPointerDown = (event: PointerEvent<HTMLElement>) => {
    if (event.button) return;
    if (!chosen || event.shiftKey || event.ctrlKey || event.metaKey) acts.choose(clip.id, event);
    const grip = ((event.target as HTMLElement).dataset.grip ?? (event.altKey ? "slip" : "move")) as Grip;
    if (clip.locked || (clip.frozen && grip !== "move")) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { grip, x: event.clientX, dx: 0, ids: acts.together(clip.id) };
  };
  const onPointerMove = (event: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    if (!held) return;
    const dx = event.clientX - held.x;
    if (!held.dx && Math.abs(dx) < STILL_PX) return;
    const wanted = bounded(clip, held.grip, dx / scale);
    const by = held.grip === "move" && acts.snap ? acts.snap(clip.at_s + wanted) - clip.at_s : wanted;
    held.dx = by * scale;
    acts.seen?.(under(clip, held.grip, by));
    if (held.grip === "move") for (const one of others(held.ids, event.currentTarget)) one.style.transform = `translateX(${held.dx}px)`;
    else setBy({ grip: held.grip, dx: held.dx });
  };
  const onPointerUp = (event: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    drag.current = null;
    if (held?.dx) acts.seen?.(null);
    // edges wait for the new picture, so that nothing jumps back in between
    if (!held?.dx || !["start", "end", "slip"].includes(held.grip)) setBy(null);
    if (!held?.dx) {
      if (!event.shiftKey && !event.ctrlKey && !event.metaKey) acts.alone(clip.id);
      return;
    }
    for (const one of others(held.ids, event.currentTarget)) one.style.transform = "";
    commit(clip, held.grip, held.dx / scale, held.ids, acts);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the new picture is the reason
  useEffect(() => setBy(null), [clip.picture.digest, clip.seconds, clip.laid_s]);
  const moved = (grip: Grip) => (by?.grip === grip ? by.dx : 0);
  return { moved, pointer: { onPointerDown, onPointerMove, onPointerUp } };
}
