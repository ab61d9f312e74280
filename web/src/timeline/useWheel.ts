import { type RefObject, useEffect, useRef } from "react";

/** Zoom about the pointer by the wheel, move by Shift or sideways; the view stays within the sound, and at least so long. */
export function useWheelZoom(
  element: RefObject<HTMLElement | null>,
  view: [number, number],
  { total, least, width, onView }: { total: number; least: number; width: number; onView: (view: [number, number]) => void },
) {
  const zoom = useRef<(event: WheelEvent) => void>(() => {});
  zoom.current = (event) => {
    if (!width) return;
    event.preventDefault();
    const span = view[1] - view[0];
    if (Math.abs(event.deltaX) > Math.abs(event.deltaY) || event.shiftKey) {
      const by = ((event.deltaX || event.deltaY) / width) * span;
      const start = Math.min(total - span, Math.max(0, view[0] + by));
      onView([start, start + span]);
      return;
    }
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const centre = view[0] + ((event.clientX - box.left) / width) * span;
    const next = Math.min(total, Math.max(least, span * 1.0022 ** event.deltaY));
    const start = Math.min(total - next, Math.max(0, centre - ((centre - view[0]) / span) * next));
    onView([start, start + next]);
  };
  useEffect(() => {
    const held = element.current;
    const handle = (event: WheelEvent) => zoom.current(event);
    held?.addEventListener("wheel", handle, { passive: false });
    return () => held?.removeEventListener("wheel", handle);
  }, [element]);
}
