/** Which stretch of time an area shows: all of what it is given, or what was zoomed to by the wheel (Ctrl or Alt to zoom, Shift to move). */
import { type RefObject, useEffect, useRef, useState } from "react";

export interface Scale {
  /** Seconds at the left and the right edge. */
  shown: [number, number];
  /** Pixels a second; 0 until the area has a width. */
  perSecond: number;
  width: number;
  toX: (seconds: number) => number;
  /** Back to all of it. */
  whole: () => void;
}

/** Room left at both ends, as a share of what is shown. */
const MARGIN = 0.03;

export function useScale(area: RefObject<HTMLElement | null>, [low, high]: [number, number]): Scale {
  const [width, setWidth] = useState(0);
  const [view, setView] = useState<[number, number] | null>(null);
  const margin = (high - low) * MARGIN;
  const shown: [number, number] = view ?? [low - margin, high + margin];
  const perSecond = width / (shown[1] - shown[0]);
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, [area]);
  const wheel = useRef<(event: WheelEvent) => void>(() => {});
  wheel.current = (event) => {
    const box = area.current?.getBoundingClientRect();
    if (!box || (!event.ctrlKey && !event.shiftKey && !event.altKey)) return;
    event.preventDefault();
    if (event.shiftKey) {
      const by = ((event.deltaY || event.deltaX) / width) * (shown[1] - shown[0]);
      setView([shown[0] + by, shown[1] + by]);
      return;
    }
    const centre = shown[0] + (event.clientX - box.left) / perSecond;
    const factor = 1.002 ** event.deltaY;
    setView([centre - (centre - shown[0]) * factor, centre + (shown[1] - centre) * factor]);
  };
  useEffect(() => {
    const element = area.current;
    const handle = (event: WheelEvent) => wheel.current(event);
    element?.addEventListener("wheel", handle, { passive: false });
    return () => element?.removeEventListener("wheel", handle);
  }, [area]);
  return { shown, perSecond, width, toX: (seconds) => (seconds - shown[0]) * perSecond, whole: () => setView(null) };
}
