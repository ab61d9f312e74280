import { useEffect, useState } from "react";

/** Where something is to be drawn (its ref) and how high that is (px), while panes and windows are dragged; ``before`` until it is known. */
export function useRoom<Element extends HTMLElement>(before: number): [(element: Element | null) => void, number] {
  const [place, setPlace] = useState<Element | null>(null);
  const [room, setRoom] = useState(before);
  useEffect(() => {
    if (!place) return;
    const watch = new ResizeObserver(() => setRoom(place.clientHeight));
    watch.observe(place);
    return () => watch.disconnect();
  }, [place]);
  return [setPlace, room];
}
