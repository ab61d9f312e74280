/** The recipe of a design as it is being set: a document, kept by the server with its steps back and forth. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../../api/client";
import { type History, useDocument } from "../../documents/useDocument";
import { queries, useShared } from "../../session/store";

export type RecipeDraft = Schemas["RecipeDraft"];
type RecipeKept = Schemas["RecipeKept"];

/** Nothing is set: all is as in the spread that is shown. */
export const NOTHING_SET: RecipeDraft = { recipe: null, seed: null, count: null };
const NONE: RecipeKept = { revision: 0, draft: NOTHING_SET };

const key = (library: string, design: number) => ["recipe-draft", library, design];

async function read(library: string, number: number, project: number): Promise<RecipeKept> {
  const found = await got(api.GET("/api/lib/{library}/designs/{id}/recipe-draft", { params: { path: { library, id: number }, query: { project } } })); // the client's types lose what a pair is
  return { ...found, draft: { ...NOTHING_SET, ...found.draft } };
}

/** The recipe that is kept of a design; undefined while it is being read. */
export function useKeptRecipe(design: Schemas["DesignView"] | undefined): RecipeKept | undefined {
  const library = useShared((state) => state.library);
  const kept = useQuery({
    queryKey: key(library, design?.id ?? 0),
    enabled: design !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => read(library, design?.id ?? 0, design?.project ?? 1),
  });
  return design === undefined ? NONE : kept.data;
}

export function useRecipe(design: Schemas["DesignView"] | undefined, loaded: RecipeKept): History<RecipeDraft> {
  const library = useShared((state) => state.library);
  const [number, project] = [design?.id ?? 0, design?.project ?? 1];
  const shown = (kept: RecipeKept) => queries.setQueryData(key(library, number), kept);
  return useDocument<RecipeDraft>({
    what: "recipe",
    id: number,
    first: loaded.draft,
    revision: loaded.revision,
    called: `The recipe of ${design?.name ?? "this design"}`,
    save: async (draft, based_on, init) => {
      const params = { path: { library, id: number }, query: { project, based_on } };
      const kept = await got(api.PUT("/api/lib/{library}/designs/{id}/recipe-draft", { params, body: draft, ...init }));
      shown({ revision: kept.revision, draft });
      return { revision: kept.revision };
    },
    read: async () => {
      const kept = await read(library, number, project);
      shown(kept);
      return { doc: kept.draft, revision: kept.revision };
    },
  });
}
