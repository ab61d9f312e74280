import { useEffect, useRef } from "react";
import { useLook } from "../ui/theme";
import { live, useListening } from "./player";

/** Draw at most 30 times a second while something is heard, and no more once the meters have come to rest. */
export function useDrawing(draw: () => void) {
  const current = useRef(draw);
  current.current = draw;
  const worn = useLook((state) => state.worn);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another look is drawn anew
  useEffect(() => {
    let frame = 0;
    let last = 0;
    let restAt = performance.now() + 2000;
    const tick = (now: number) => {
      frame = requestAnimationFrame(tick);
      if (useListening.getState().playing || live.peak[0] + live.peak[1] > 1e-4) restAt = now + 2000;
      if (now - last < 32 || now > restAt) return;
      last = now;
      current.current();
    };
    frame = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(frame);
  }, [worn]);
}
