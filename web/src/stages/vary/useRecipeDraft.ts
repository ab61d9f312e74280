/** The recipe of a design as it is being set: kept by the server, so that it is there when the stage is left and come back to. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Recipe, type Schemas } from "../../api/client";
import { complain, queries, useShared } from "../../app/store";

interface Draft {
  recipe: Recipe | null;
  /** As it is typed; null for that of the spread that is shown. */
  seed: string | null;
  count: number | null;
}

const NONE: Draft = { recipe: null, seed: null, count: null };
let turn: Promise<unknown> = Promise.resolve();
let set = 0;

export function useRecipeDraft(design: number | undefined, project: number | undefined) {
  const library = useShared((state) => state.library);
  const key = ["recipe-draft", library, design];
  const here = { path: { library, number: design ?? 0 }, query: { project: project ?? 1 } };
  const kept = useQuery({
    queryKey: key,
    enabled: design !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async (): Promise<Draft> => {
      const found = await got(api.GET("/api/lib/{library}/designs/{number}/recipe-draft", { params: here }));
      const { draft, revision } = found as Schemas["RecipeKept"];
      return revision ? { recipe: draft.recipe ?? null, seed: draft.seed === null ? null : String(draft.seed), count: draft.count ?? null } : NONE;
    },
  });
  const setDraft = (values: Partial<Draft>) => {
    if (design === undefined) return;
    void queries.cancelQueries({ queryKey: key }); // what is set now is newer than what is being read
    const next = { ...(queries.getQueryData<Draft>(key) ?? NONE), ...values };
    queries.setQueryData(key, next);
    const mine = ++set;
    const seed = next.seed === null ? null : Number.parseInt(next.seed, 10);
    turn = turn
      .then(() => {
        // what was set after this is sent after this: only the newest state is worth sending
        if (mine !== set || (seed !== null && !(seed >= 0))) return undefined;
        return got(
          api.PUT("/api/lib/{library}/designs/{number}/recipe-draft", {
            params: here,
            body: { recipe: next.recipe, seed, count: next.count },
            keepalive: true,
          }),
        );
      })
      .catch(complain);
  };
  return { draft: kept.data ?? NONE, setDraft };
}
