import { useEffect, useRef, useState } from "react";

/** A value once it has stopped changing for a moment; a change that comes alone is passed on ``atOnce``. */
export function useSettled<T>(value: T, ms: number, atOnce = false): T {
  const [settled, setSettled] = useState(value);
  const last = useRef(0);
  useEffect(() => {
    const now = performance.now();
    const alone = atOnce && now - last.current > 2 * ms;
    last.current = now;
    if (alone) {
      setSettled(value);
      return;
    }
    const timer = setTimeout(() => setSettled(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms, atOnce]);
  return settled;
}
