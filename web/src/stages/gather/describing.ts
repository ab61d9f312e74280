/** Sounds described, many at once, with undo; their anchors proposed anew. */
import { api, got } from "../../api/client";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { complain, tell, withdraw } from "../../ui/messages";
import { among, type Change } from "./sounds";

const NOTHING: Change = {
  name: null,
  naming: null,
  numbered_from: 1,
  category: null,
  confirm: false,
  tags: null,
  add_tags: null,
  remove_tags: null,
  rating: null,
  mark: null,
  notes: null,
  rights: null,
  strength: null,
  layout: null,
  anchor_s: null,
  anchor_kind: null,
  fields: null,
  trashed: null,
};

/** Something was done: what is shown is asked for anew, and what a message offers to take back is no longer the last thing done. */
export function stale() {
  withdraw();
  for (const key of ["sounds", "sound", "categories", "sets", "counts", "state", "find"]) void queries.invalidateQueries({ queryKey: [key] });
}

/** Sounds something is done to: those given, or the chosen ones. */
export function theseOrChosen(ids?: number[]) {
  return ids ? { ids, all_of: null } : among();
}

/** Describe sounds; undo takes it back. */
export async function edit(change: Partial<Change>, ids?: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    const done = await got(
      api.POST("/api/lib/{library}/edit", { params: { path: { library } }, body: { ...theseOrChosen(ids), change: { ...NOTHING, ...change } } }),
    );
    stale();
    if (change.trashed) tell(trashedSaid(done.count, done.used ?? {}), false, undo);
    else if (done.count > 1) tell(`${done.count} sounds changed.`, false, undo);
    await freshen();
  } catch (error) {
    complain(error);
  }
}

/** What was put into the trash, and what it is used in. */
function trashedSaid(count: number, used: Record<string, string[]>): string {
  const first = Object.entries(used).slice(0, 2);
  const uses = first.map(
    ([name, where]) => `${name} is used in ${where.slice(0, 3).join(", ")}${where.length > 3 ? ` and ${where.length - 3} more` : ""}`,
  );
  const more = Object.keys(used).length - first.length;
  const told = uses.length ? ` ${uses.join("; ")}${more > 0 ? `; ${more} others are used too` : ""}: it goes on sounding there.` : "";
  return `${count} ${count === 1 ? "sound" : "sounds"} put into the trash.${told}`;
}

/** Read the selected sound again after a change. */
async function freshen() {
  const { library, selected } = useShared.getState();
  if (!selected) return;
  const facts = await got(api.GET("/api/lib/{library}/sounds/{id}", { params: { path: { library, id: selected.id } } }));
  if (useShared.getState().selected?.id === facts.id) useShared.setState({ selected: facts });
}

export async function takeBack(again: boolean): Promise<void> {
  const { library } = useShared.getState();
  try {
    const path = again ? "/api/lib/{library}/edit/redo" : "/api/lib/{library}/edit/undo";
    const done = await got(api.POST(path, { params: { path: { library } } }));
    tell(`${again ? "Done again" : "Taken back"}: ${done.title}.`);
    stale();
    await freshen();
  } catch (error) {
    complain(error);
  }
}

/** What the messages of this stage offer. */
export const undo = () => void takeBack(false);

export async function proposeAnchors(kind: "" | "hit" | "top" | "end" | "start"): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(api.POST("/api/lib/{library}/anchors", { params: { path: { library } }, body: { ...among(), kind } }));
    const { result } = await whenDone(started.job, "anchors");
    if (!result) return;
    const { changed, failed } = result;
    const left = failed.length ? ` ${failed.length} left as they were: ${failed[0].reason}` : "";
    stale();
    tell(`${changed} anchors moved.${left}`, failed.length > 0, undo);
    await freshen();
  } catch (error) {
    complain(error);
  }
}
