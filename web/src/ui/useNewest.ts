/** A state that is asked for: the newest wish counts, however late the answers to older ones come. */
import { useRef, useState } from "react";

export function useNewest<T>() {
  const [value, put] = useState<T | null>(null);
  const wishes = useRef(0);
  const set = (next: T | null) => {
    wishes.current += 1;
    put(next);
  };
  /** Put what was asked for; false when something else was wished meanwhile. */
  const ask = async (answer: Promise<T>): Promise<boolean> => {
    wishes.current += 1;
    const mine = wishes.current;
    const next = await answer;
    if (mine !== wishes.current) return false;
    put(next);
    return true;
  };
  return { value, set, ask };
}
