/** Rows that are chosen: one is current, others may be chosen beside it. */
import { useState } from "react";

/** How a click or key chooses: with Shift up to this row, with Ctrl this row too. */
export const howChosen = (event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }): "range" | "more" | "one" =>
  event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "more" : "one";

/** ``order`` are the keys of all rows as they are shown; what is shown no more is chosen no more. */
export function useChoosing(order: readonly string[]) {
  const [at, setAt] = useState<string | null>(null);
  const [beside, setBeside] = useState<ReadonlySet<string>>(new Set());
  const there = new Set(order);
  const current = at !== null && there.has(at) ? at : null;
  const together = new Set([...beside, ...(current === null ? [] : [current])].filter((key) => there.has(key)));
  const range = (to: string) => {
    const [from, until] = [order.indexOf(current ?? to), order.indexOf(to)];
    return new Set(order.slice(Math.min(from, until), Math.max(from, until) + 1));
  };
  const choose = (key: string, how: ReturnType<typeof howChosen> = "one") => {
    if (how === "range") setBeside(range(key));
    else if (how === "more") {
      const next = new Set(together);
      if (!next.delete(key)) next.add(key);
      setBeside(next);
      setAt(next.has(key) ? key : ([...next].at(-1) ?? null));
    } else {
      setAt(key);
      setBeside(new Set());
    }
  };
  return {
    current,
    together: together as ReadonlySet<string>,
    choose,
    chooseThese: (keys: readonly string[]) => {
      setBeside(new Set(keys));
      setAt(keys[0] ?? null);
    },
    /** The row so many further on becomes the current one; with ``more`` those on the way stay chosen. */
    step: (by: number, more = false): string | null => {
      const next = order[Math.max(0, Math.min(order.length - 1, (current === null ? -1 : order.indexOf(current)) + by))] ?? null;
      if (next === null) return null;
      if (more) setBeside(new Set([...together, next]));
      else setBeside(new Set());
      setAt(next);
      return next;
    },
    leave: () => {
      setAt(null);
      setBeside(new Set());
    },
  };
}
