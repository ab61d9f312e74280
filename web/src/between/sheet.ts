/** The sheet of Ship: kept by the server for every project, so that it is there in every window and after a restart. */
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../api/client";
import { changedHere } from "../session/jobs";
import { queries, useShared } from "../session/store";
import { complain, tell } from "../ui/messages";
import { DRY, type HeardSo, saidSo } from "./heard";

export type Sheet = Schemas["SheetDraft"];
export type SheetKept = Schemas["SheetKept"];

export const sheetKey = (library: string, project: number) => ["sheet", library, project];

export function useSheet() {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  return useQuery({
    queryKey: sheetKey(library, project),
    enabled: !!library,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.GET("/api/lib/{library}/sheets/{id}", { params: { path: { library, id: project } } })),
  });
}

/** What can be put on a sheet, by ids. */
export interface ToSheet {
  sounds?: number[];
  designs?: number[];
  draws?: number[];
  versions?: number[];
}

/** How many things are on a sheet. */
export const countOf = (sheet: Sheet | undefined): number =>
  (sheet?.sounds?.length ?? 0) + (sheet?.designs?.length ?? 0) + (sheet?.draws?.length ?? 0) + (sheet?.versions?.length ?? 0);

/** Put things on the sheet behind those that are on it; how many were not on it before, null when it failed. */
export async function putOnSheet({ sounds = [], designs = [], draws = [], versions = [] }: ToSheet, heard: HeardSo = DRY): Promise<number | null> {
  const { library, project } = useShared.getState();
  try {
    const body = { sounds, designs, draws, versions, heard };
    const kept = await got(api.POST("/api/lib/{library}/sheets/{id}/items", { params: { path: { library, id: project } }, body }));
    queries.setQueryData(sheetKey(library, project), { revision: kept.revision, sheet: kept.sheet });
    changedHere("sheet", project);
    return kept.added;
  } catch (error) {
    complain(error);
    return null;
  }
}

const CALLED: Record<keyof ToSheet, [string, string]> = {
  sounds: ["sound", "sounds"],
  designs: ["design", "designs"],
  draws: ["variation", "variations"],
  versions: ["version", "versions"],
};

/** Put things of one kind on the sheet, and say so. */
export async function addToSheet(kind: keyof ToSheet, ids: number[], heard: HeardSo = DRY) {
  const added = await putOnSheet({ [kind]: ids }, heard);
  if (added === null) return;
  tell(
    added
      ? `${added} ${CALLED[kind][added === 1 ? 0 : 1]} put on the sheet of Ship${saidSo(heard)}.`
      : `Already on the sheet of Ship${saidSo(heard)}.`,
  );
}
