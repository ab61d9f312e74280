/** The wanted list: asked for, written, answered. */
import { useQuery } from "@tanstack/react-query";
import { api, got, Refused, type Schemas } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { useGather } from "./sounds";

export type WantedEntry = Schemas["WantedView"];
export type WantedChange = Partial<Schemas["WantedChange"]>;

export const STATES = ["wanted", "found", "to record", "recorded", "designed", "done"] as const;
export const PRIORITIES = ["must", "should", "may"] as const;

export function useWanted() {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  return useQuery({
    queryKey: ["wanted", library, project],
    queryFn: () => got(api.GET("/api/lib/{library}/wanted", { params: { path: { library }, query: { project } } })),
  });
}

function fresh() {
  for (const key of ["wanted", "suggestions"]) void queries.invalidateQueries({ queryKey: [key] });
}

/** "3 glass doors closing" wants three. */
export function counted(text: string): { what: string; how_many: number } {
  const match = /^(\d{1,4})\s*x?\s+(.+)$/.exec(text.trim());
  return match ? { what: match[2], how_many: Math.max(1, Number(match[1])) } : { what: text.trim(), how_many: 1 };
}

export async function want(text: string, priority: number): Promise<void> {
  const { library, project } = useShared.getState();
  if (!text.trim()) return;
  const body = [{ ...counted(text), priority, state: "wanted", notes: "" }];
  await got(api.POST("/api/lib/{library}/wanted", { params: { path: { library }, query: { project } }, body })).catch(complain);
  fresh();
}

export async function changeWanted(number: number, change: WantedChange): Promise<void> {
  const { library } = useShared.getState();
  const body = { what: null, how_many: null, priority: null, state: null, notes: null, ...change };
  await got(api.PATCH("/api/lib/{library}/wanted/{id}", { params: { path: { library, id: number } }, body })).catch(complain);
  fresh();
}

export async function removeWanted(entry: WantedEntry): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(api.DELETE("/api/lib/{library}/wanted/{id}", { params: { path: { library, id: entry.id } } }));
    if (useGather.getState().answering?.id === entry.id) useGather.setState({ answering: null });
    tell(`“${entry.what}” is off the list; what answered it stays in the library.`);
  } catch (error) {
    complain(error);
  }
  fresh();
}

export async function answer(number: number, items: number[], kind: "sound" | "design" = "sound"): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(api.POST("/api/lib/{library}/wanted/{id}/answers", { params: { path: { library, id: number } }, body: { kind, items } }));
  } catch (error) {
    complain(error);
  }
  fresh();
}

export async function unlink(number: number, kind: "sound" | "design", item: number): Promise<void> {
  const { library } = useShared.getState();
  const query = { kind, item };
  await got(api.DELETE("/api/lib/{library}/wanted/{id}/answers", { params: { path: { library, id: number }, query } })).catch(complain);
  fresh();
}

export async function loadTable(file: File): Promise<void> {
  const { library, project } = useShared.getState();
  try {
    const body = { csv: await file.text() };
    const kept = await got(api.POST("/api/lib/{library}/wanted.csv", { params: { path: { library }, query: { project } }, body }));
    tell(`${kept.ids.length} ${kept.ids.length === 1 ? "entry" : "entries"} of ${file.name} are on the wanted list.`);
  } catch (error) {
    complain(error instanceof Refused ? new Refused(`${file.name}: ${error.message}`) : error);
  }
  fresh();
}
