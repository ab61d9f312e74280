/** The ranges of the balance pass: what is looped around a placement, and the levels the strip shows. They stay in this browser. */
import { create } from "zustand";
import { useModels } from "../../ui/controls";

export interface Ranges {
  around_s: number;
  most_s: number;
  low_lufs: number;
  high_lufs: number;
}

const KEPT = "balance ranges";

const useOwn = create<Partial<Ranges>>(() => JSON.parse(localStorage.getItem(KEPT) ?? "{}"));

export function setRanges(values: Partial<Ranges>) {
  useOwn.setState(values);
  localStorage.setItem(KEPT, JSON.stringify(useOwn.getState()));
}

/** The ranges in force; those of the model until they are set. */
export function useRanges(): Ranges {
  const own = useOwn();
  return { ...(useModels()?.Balancing?.defaults as unknown as Ranges), ...own };
}
