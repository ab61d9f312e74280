import { useEffect, useRef } from "react";
import { useLook } from "../ui/theme";
import { live } from "./player";
import { useListening } from "./state";

const REST_MS = 2000;
const LOOK_MS = 50;

/** Draw at most 30 times a second while something is heard, and no more once the meters have come to rest. */
export function useDrawing(draw: () => void) {
  const current = useRef(draw);
  current.current = draw;
  const worn = useLook((state) => state.worn);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another look is drawn anew
  useEffect(() => {
    let frame = 0;
    let waiting = 0;
    let last = 0;
    let restAt = performance.now() + REST_MS;
    const moving = () => useListening.getState().playing || live.peak[0] + live.peak[1] > 1e-4;
    const tick = (now: number) => {
      if (moving()) restAt = now + REST_MS;
      if (now > restAt) {
        waiting = window.setTimeout(look, LOOK_MS);
        return;
      }
      frame = requestAnimationFrame(tick);
      if (now - last < 32) return;
      last = now;
      current.current();
    };
    /** At rest nothing is asked of the screen; a look now and then tells whether something is heard again. */
    const look = () => {
      if (moving()) frame = requestAnimationFrame(tick);
      else waiting = window.setTimeout(look, LOOK_MS);
    };
    frame = requestAnimationFrame(tick);
    return () => {
      cancelAnimationFrame(frame);
      window.clearTimeout(waiting);
    };
  }, [worn]);
}
