/** What the table of Gather asks the server for, page by page, and which rows are chosen. */
import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { useRef } from "react";
import { create } from "zustand";
import { api, got, type Schemas, type SoundRow } from "../../api/client";
import { useShared } from "../../session/store";

export const PAGE = 100;

export type SoundQuery = Schemas["SoundQuery"];
export type Search = Schemas["Search"];
export type Condition = Schemas["Condition"];
export type Change = Schemas["Change"];

export interface Asked {
  q: string;
  sort: string;
  descending: boolean;
  facets: Record<string, string[]>;
  like: { id: number; name: string } | null;
  trash: boolean;
}

export const ANYTHING: Asked = { q: "", sort: "name", descending: false, facets: {}, like: null, trash: false };

interface GatherState {
  asked: Asked;
  /** Chosen rows besides the one that is heard; ``all`` means everything that is found. */
  chosen: number[];
  all: boolean;
  /** The entry of the wanted list that is being looked for. */
  answering: { id: number; what: string } | null;
}

/** Kept while other stages are looked at, so that coming back shows the same rows. */
export const useGather = create<GatherState>(() => ({ asked: ANYTHING, chosen: [], all: false, answering: null }));

export function ask(change: Partial<Asked>) {
  useGather.setState((state) => ({ asked: { ...state.asked, ...change }, chosen: [], all: false }));
}

export function toggleFacet(facet: string, value: string) {
  const { asked } = useGather.getState();
  const now = asked.facets[facet] ?? [];
  const next = now.includes(value) ? now.filter((one) => one !== value) : [...now, value];
  const change: Partial<Asked> = { facets: { ...asked.facets, [facet]: next } };
  // one set alone is shown in its own order
  if (facet === "set") change.sort = next.length === 1 ? `set:${next[0]}` : "name";
  ask(change);
}

export function wanted(asked: Asked, offset = 0, limit = PAGE): SoundQuery {
  const { q, sort, descending, facets, like, trash } = asked;
  return { q, sort, descending, facets, like: like?.id ?? null, trash, offset, limit, project: useShared.getState().project };
}

/** The chosen sounds as the server takes them. */
export function among(): { ids: number[]; all_of: SoundQuery | null } {
  const { asked, chosen, all } = useGather.getState();
  return all ? { ids: [], all_of: wanted(asked) } : { ids: chosen, all_of: null };
}

/** One page of what a question finds. */
export function page(library: string, project: number, asked: Asked, number: number) {
  return {
    queryKey: ["sounds", library, project, asked, number],
    placeholderData: keepPreviousData,
    queryFn: () => got(api.POST("/api/lib/{library}/search", { params: { path: { library } }, body: wanted(asked, number * PAGE) })),
  };
}

export function useSounds(library: string, asked: Asked, from: number, to: number) {
  const project = useShared((state) => state.project);
  const head = useQuery(page(library, project, asked, 0));
  // a question that cannot be understood takes nothing away: what was found before it stays
  const understood = useRef(head.data);
  if (head.data) understood.current = head.data;
  const found = head.data ?? (head.error ? understood.current : undefined);
  const first = Math.floor(from / PAGE);
  const last = Math.floor(to / PAGE);
  const numbers = Array.from({ length: last - first + 1 }, (_, i) => first + i).filter((number) => number > 0);
  const pages = useQueries({ queries: numbers.map((number) => page(library, project, asked, number)) });
  const row = (index: number): SoundRow | undefined => {
    const number = Math.floor(index / PAGE);
    const data = number === 0 ? found : pages[numbers.indexOf(number)]?.data;
    return data?.rows[index - number * PAGE];
  };
  return {
    total: found?.total ?? 0,
    facets: found?.facets ?? {},
    search: found?.search ?? { words: "", conditions: [] },
    row,
    loaded: !!found,
    /** Whether the rows are those of the question, not of the one before. */
    settled: !!head.data && !head.isPlaceholderData,
    error: head.error,
  };
}

export const MARKS = ["glass", "amber", "coral", "plum", "sky"] as const;
