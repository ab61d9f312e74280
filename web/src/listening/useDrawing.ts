import { type RefObject, useCallback, useEffect, useRef } from "react";
import { drawnToFit, fitted } from "../canvas/paint";
import { useLook } from "../ui/theme";
import { live } from "./player";
import { useListening } from "./state";

/** Meters have come to rest so long after the last sound. */
const REST_MS = 3000;
const LOOK_MS = 50;

type Draw = (pen: CanvasRenderingContext2D, width: number, height: number) => void;

/**
 * Draw a canvas at most 30 times a second while something is heard, and no more once the meters have come to rest; what is returned draws it anew.
 *
 * Its size comes with the layout of the page: asking for it in every frame would lay the page out each time something on it changed.
 */
export function useDrawing(canvas: RefObject<HTMLCanvasElement | null>, draw: Draw): () => void {
  const current = useRef(draw);
  current.current = draw;
  const size = useRef<{ width: number; height: number } | null>(null);
  const now = useCallback(() => {
    const pen = canvas.current && size.current && fitted(canvas.current, size.current);
    if (pen && size.current) current.current(pen, size.current.width, size.current.height);
  }, [canvas]);
  const worn = useLook((state) => state.worn);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another look is drawn anew
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const unwatch = drawnToFit(element, (_, width, height) => {
      size.current = { width, height };
      now();
    });
    let frame = 0;
    let waiting = 0;
    let last = 0;
    // by when something sounded, not by what the meters stand at: a short sound is over when a busy page looks again
    const moving = () => useListening.getState().playing || performance.now() - live.soundedAt < REST_MS;
    const tick = (at: number) => {
      if (!moving()) {
        waiting = window.setTimeout(look, LOOK_MS);
        return;
      }
      frame = requestAnimationFrame(tick);
      if (at - last < 32) return;
      last = at;
      now();
    };
    /** At rest nothing is asked of the screen; a look now and then tells whether something is heard again. */
    const look = () => {
      if (moving()) frame = requestAnimationFrame(tick);
      else waiting = window.setTimeout(look, LOOK_MS);
    };
    look();
    return () => {
      unwatch();
      cancelAnimationFrame(frame);
      window.clearTimeout(waiting);
    };
  }, [worn]);
  return now;
}
