import { startTransition, useEffect, useState } from "react";

let begun = false;

/**
 * Whether the page has begun. Then what is worked in is drawn first; what lies beside it waits for this and follows in pieces, so that the page
 * answers meanwhile. Later on everything is drawn at once.
 */
export function useBegun(): boolean {
  const [now, setNow] = useState(begun);
  useEffect(() => {
    begun = true;
    startTransition(() => setNow(true));
  }, []);
  return now;
}
