/** What can be done with every document that has a name: another name, a copy, the trash and back. */
import { api, got, type Schemas } from "../api/client";
import { changedHere } from "../session/jobs";
import { queries, useShared } from "../session/store";
import type { MenuAct } from "../ui/Acts";
import { complain, tell } from "../ui/messages";

export type Kind = Schemas["PutAway"]["kind"];

/** Lists that show documents of a kind. */
const LISTS: Record<Kind, string[]> = {
  design: ["designs", "stale", "wanted", "sheet"],
  version: ["versions"],
  reel: ["reels"],
  saved_chain: ["chains", "mend", "sound"],
  recipe: ["recipes"],
  ready_sheet: ["ready sheets"],
  scene: ["scenes"],
  scene_version: ["versions"],
};

/** Ask for the lists anew; resolves when the first of them is there. */
function refresh(kind: Kind): Promise<void> {
  const [list, ...more] = LISTS[kind];
  for (const key of [...more, "trash", "counts", "find"]) void queries.invalidateQueries({ queryKey: [key] });
  return queries.invalidateQueries({ queryKey: [list] });
}

const path = (kind: Kind, id: number) => ({ params: { path: { library: useShared.getState().library, kind, id } } });

/** Put a document into the trash, with the offer to take it back; false when it could not be. */
export async function putAway(kind: Kind, id: number): Promise<boolean> {
  try {
    const away = await got(api.DELETE("/api/lib/{library}/documents/{kind}/{id}", path(kind, id)));
    await refresh(kind);
    tell(`${away.name} is in the trash.`, false, () => void bringBack(kind, id));
    return true;
  } catch (error) {
    complain(error);
    return false;
  }
}

/** Take a document out of the trash. */
export async function bringBack(kind: Kind, id: number): Promise<void> {
  try {
    const back = await got(api.POST("/api/lib/{library}/documents/{kind}/{id}/back", path(kind, id)));
    await refresh(kind);
    if (kind === "design") useShared.setState({ design: id });
    if (kind === "reel") useShared.setState({ reel: id });
    tell(`${back.name} is back.`);
  } catch (error) {
    complain(error);
  }
}

export async function rename(kind: Kind, id: number, name: string): Promise<void> {
  try {
    await got(api.PUT("/api/lib/{library}/documents/{kind}/{id}/name", { ...path(kind, id), body: { name } }));
    await refresh(kind);
    changedHere(kind, id);
  } catch (error) {
    complain(error);
  }
}

/** Make a copy of a design, a reel or a scene; its id. */
async function duplicate(kind: "design" | "reel" | "scene", id: number): Promise<number | null> {
  try {
    const { library } = useShared.getState();
    const made = await got(api.POST("/api/lib/{library}/documents/{kind}/{id}/copy", { params: { path: { library, kind, id } } }));
    await refresh(kind);
    return made.id;
  } catch (error) {
    complain(error);
    return null;
  }
}

/** What the menu of an open design, reel or scene offers; ``told`` says what a copy is for and what stays, ``saved`` resolves when the present state is kept. */
export function actsOf(
  kind: "design" | "reel" | "scene",
  id: number,
  told: { copy: string; trash: string },
  saved: () => Promise<void>,
  open: (id: number | null) => void,
): MenuAct[] {
  const copy = async () => {
    await saved();
    const made = await duplicate(kind, id);
    if (made !== null) open(made);
  };
  const away = async () => {
    await saved();
    if (await putAway(kind, id)) open(null);
  };
  return [
    { key: "copy", label: "Duplicate", hint: told.copy, onDo: () => void copy() },
    { key: "trash", label: "Put into the trash", hint: told.trash, onDo: () => void away() },
  ];
}
