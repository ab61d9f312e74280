import { useEffect, useState } from "react";

/** A wait of less than this (ms) is not worth a word; common practice, no source. */
const LATE_MS = 300;

/** Whether something has been waited for so long that it is to be said. */
export function useLate(waiting: boolean): boolean {
  const [late, setLate] = useState(false);
  useEffect(() => {
    if (!waiting) return;
    const timer = setTimeout(() => setLate(true), LATE_MS);
    return () => {
      clearTimeout(timer);
      setLate(false);
    };
  }, [waiting]);
  return waiting && late;
}
