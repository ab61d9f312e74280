import { startTransition, useEffect, useState } from "react";

/** How many turns of the browser (up to ``turns``) a component is on the screen: what it holds follows in pieces, so that the page answers meanwhile. */
export function useTurns(turns: number): number {
  const [turn, setTurn] = useState(0);
  useEffect(() => {
    if (turn < turns) startTransition(() => setTurn(turn + 1));
  }, [turn, turns]);
  return turn;
}

let begun = false;

/**
 * Whether the page has begun. Then what is worked in is drawn first; what lies beside it waits for this. Later on everything is drawn at once.
 */
export function useBegun(): boolean {
  const [all] = useState(begun);
  const turn = useTurns(all ? 0 : 1);
  useEffect(() => {
    begun = true;
  }, []);
  return all || turn > 0;
}
