/** What the whole app shares: the library, what is what is selected. */
import { QueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import type { Schemas, SoundRow } from "../api/client";

export const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 5_000, refetchOnWindowFocus: false } } });

interface Shared {
  library: string;
  libraryName: string;
  /** The project worked in. */
  project: number;
  selected: SoundRow | null;
  /** What each stage has open. */
  mendSound: number | null;
  /** The review reel open in Mend; null while a single sound is worked on. */
  reel: number | null;
  /** Whether the wanted list is open at the side. */
  wanting: boolean;
  design: number | null;
  spread: number | null;
  sliceSound: number | null;
  scene: number | null;
  /** The sound others are compared with. */
  reference: { sound: number; name: string } | null;
}

function remembered<T>(name: string, other: T): T {
  try {
    return JSON.parse(sessionStorage.getItem(name) ?? "null") ?? other;
  } catch {
    return other;
  }
}

const KEPT = ["project", "mendSound", "reel", "design", "spread", "sliceSound", "scene", "reference"] as const;

export const useShared = create<Shared>(() => ({
  library: "",
  libraryName: "",
  project: remembered("project", 1),
  selected: null,
  mendSound: remembered<number | null>("mendSound", null),
  reel: remembered<number | null>("reel", null),
  wanting: false,
  design: remembered<number | null>("design", null),
  spread: remembered<number | null>("spread", null),
  sliceSound: remembered<number | null>("sliceSound", null),
  scene: remembered<number | null>("scene", null),
  reference: remembered<{ sound: number; name: string } | null>("reference", null),
}));

useShared.subscribe((now, before) => {
  for (const name of KEPT) if (now[name] !== before[name]) sessionStorage.setItem(name, JSON.stringify(now[name]));
});

/** The library that was open last in this browser, else the first there is; none when one was entered meanwhile. */
export function enterLast(libraries: Schemas["LibraryView"][]) {
  if (useShared.getState().library) return;
  const last = localStorage.getItem("library");
  const chosen = libraries.find((one) => one.slug === last) ?? libraries[0];
  if (chosen) open(chosen.slug, chosen.name);
}

function open(slug: string, name: string) {
  useShared.setState({ library: slug, libraryName: name });
  localStorage.setItem("library", slug);
}

/** Choose a library, forgetting what was open in the one before. What is asked of a library carries its name, so answers of another are never taken for its own. */
export function enter(slug: string, name: string) {
  const before = useShared.getState().library;
  if (before === slug) return;
  if (before)
    useShared.setState({
      project: 1,
      selected: null,
      mendSound: null,
      reel: null,
      design: null,
      spread: null,
      sliceSound: null,
      scene: null,
      reference: null,
    });
  open(slug, name);
  // not all of it cleared: a question under way would lose its answer, and whoever shows it would wait for ever;
  // what was asked before is asked anew, since its answer may not know this library yet
  void queries.cancelQueries({ queryKey: ["state"] }).then(() => queries.invalidateQueries({ queryKey: ["state"] }));
}
