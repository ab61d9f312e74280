/** The recipe of a design as it is being set: a document, kept by the server with its steps back and forth. */
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { type History, useDocument } from "../../documents/useDocument";
import { readDocument } from "../../documents/wire";
import { queries, useShared } from "../../session/store";

export type RecipeDraft = Schemas["RecipeDraft"];
type RecipeKept = Schemas["RecipeKept"];

/** Nothing is set: all is as in the spread that is shown. */
export const NOTHING_SET: RecipeDraft = { recipe: null, seed: null, count: null };
const NONE: RecipeKept = { revision: 0, draft: NOTHING_SET };

const key = (library: string, design: number) => ["recipe-draft", library, design];

/** The recipe that is kept of a design; undefined while it is being read. */
export function useKeptRecipe(design: Schemas["DesignView"] | undefined): RecipeKept | undefined {
  const library = useShared((state) => state.library);
  const kept = useQuery({
    queryKey: key(library, design?.id ?? 0),
    enabled: design !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => readDocument({ kind: "recipe", library, id: design?.id ?? 0 }),
  });
  return design === undefined ? NONE : kept.data;
}

export function useRecipe(design: Schemas["DesignView"] | undefined, loaded: RecipeKept): History<RecipeDraft> {
  const library = useShared((state) => state.library);
  const id = design?.id ?? 0;
  return useDocument({
    kind: "recipe",
    id,
    first: loaded.draft,
    revision: loaded.revision,
    called: `The recipe of ${design?.name ?? "this design"}`,
    docOf: (shown) => shown.draft,
    bodyOf: (draft: RecipeDraft) => draft,
    onShown: (shown) => queries.setQueryData(key(library, id), shown),
  });
}
