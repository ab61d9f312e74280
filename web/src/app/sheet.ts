/** The sheet of Ship: kept by the server for every project, so that it is there in every window and after a restart. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { DRY, type HeardSo, saidSo } from "./heard";
import { complain, queries, tell, useShared } from "./store";

export type Sheet = Schemas["SheetDraft"];

const key = (library: string, project: number) => ["sheet", library, project];

export function useSheet() {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  return useQuery({
    queryKey: key(library, project),
    enabled: !!library,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.GET("/api/lib/{library}/sheet", { params: { path: { library }, query: { project } } })),
  });
}

/** Put sounds on the sheet behind those that are on it; how many were not on it before, null when it failed. */
export async function putOnSheet(sounds: number[], heard: HeardSo = DRY): Promise<number | null> {
  const { library, project } = useShared.getState();
  try {
    const kept = await got(
      api.POST("/api/lib/{library}/sheet/sounds", { params: { path: { library }, query: { project } }, body: { sounds, heard } }),
    );
    queries.setQueryData(key(library, project), { revision: kept.revision, sheet: kept.sheet });
    return kept.added;
  } catch (error) {
    complain(error);
    return null;
  }
}

export async function addToSheet(sounds: number[], heard: HeardSo = DRY) {
  const added = await putOnSheet(sounds, heard);
  if (added === null) return;
  tell(
    added
      ? `${added} ${added === 1 ? "sound" : "sounds"} put on the sheet of Ship${saidSo(heard)}.`
      : `Already on the sheet of Ship${saidSo(heard)}.`,
  );
}

let turn: Promise<unknown> = Promise.resolve();

/** Change the sheet: shown at once, kept in turn. */
export function changeSheet(values: Partial<Sheet>) {
  const { library, project } = useShared.getState();
  const here = key(library, project);
  const before = queries.getQueryData<Schemas["SheetKept"]>(here);
  if (!before) return;
  queries.setQueryData(here, { ...before, sheet: { ...before.sheet, ...values } });
  turn = turn.then(async () => {
    const now = queries.getQueryData<Schemas["SheetKept"]>(here);
    if (!now) return;
    try {
      const kept = await got(
        api.PUT("/api/lib/{library}/sheet", {
          params: { path: { library }, query: { project, based_on: now.revision } },
          body: now.sheet,
          keepalive: JSON.stringify(now.sheet).length < 60_000,
        }),
      );
      queries.setQueryData<Schemas["SheetKept"]>(here, (held) => held && { ...held, revision: kept.revision });
    } catch (error) {
      await queries.invalidateQueries({ queryKey: here });
      complain(error);
    }
  });
}
