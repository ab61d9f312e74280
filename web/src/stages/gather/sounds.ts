/** What the table of Gather asks the server for, page by page. */
import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { api, got, type SoundRow } from "../../api/client";

export const PAGE = 100;

export interface Asked {
  q: string;
  sort: string;
  descending: boolean;
  facets: Record<string, string[]>;
}

function page(library: string, asked: Asked, number: number) {
  const { facets } = asked;
  return {
    queryKey: ["sounds", library, asked, number],
    placeholderData: keepPreviousData,
    queryFn: () =>
      got(
        api.GET("/api/lib/{library}/sounds", {
          params: {
            path: { library },
            query: {
              q: asked.q,
              sort: asked.sort,
              descending: asked.descending,
              offset: number * PAGE,
              limit: PAGE,
              category: facets.category,
              kind: facets.kind,
              arrival: facets.arrival,
              channels: facets.channels?.map(Number),
              rate: facets.rate?.map(Number),
            },
          },
        }),
      ),
  };
}

export function useSounds(library: string, asked: Asked, from: number, to: number) {
  const head = useQuery(page(library, asked, 0));
  const first = Math.floor(from / PAGE);
  const last = Math.floor(to / PAGE);
  const numbers = Array.from({ length: last - first + 1 }, (_, i) => first + i).filter((number) => number > 0);
  const pages = useQueries({ queries: numbers.map((number) => page(library, asked, number)) });
  const row = (index: number): SoundRow | undefined => {
    const number = Math.floor(index / PAGE);
    const data = number === 0 ? head.data : pages[numbers.indexOf(number)]?.data;
    return data?.rows[index - number * PAGE];
  };
  return { total: head.data?.total ?? 0, facets: head.data?.facets ?? {}, row, loaded: !!head.data, error: head.error };
}
