/** What is done to sounds of the table: describe in bulk with undo, file, hand over. */
import { api, got, type Step, type Target } from "../../api/client";
import { whenDone } from "../../app/jobs";
import { complain, queries, tell, useShared } from "../../app/store";
import { PLAIN_TARGET } from "../../app/target";
import { among, type Change, useGather } from "./sounds";

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

export function stale() {
  for (const key of ["sounds", "sound", "categories", "sets", "counts", "state", "find"]) void queries.invalidateQueries({ queryKey: [key] });
}

/** Sounds something is done to: those given, or the chosen ones. */
function of(ids?: number[]) {
  return ids ? { ids, all_of: null } : among();
}

/** Describe sounds; undo takes it back. */
export async function edit(change: Partial<Change>, ids?: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    const done = await got(
      api.POST("/api/lib/{library}/edit", { params: { path: { library } }, body: { ...of(ids), change: { ...NOTHING, ...change } } }),
    );
    if (change.trashed) tell(`${done.count} ${done.count === 1 ? "sound" : "sounds"} put into the trash; undo (Ctrl Z) brings them back.`);
    stale();
    await freshen();
  } catch (error) {
    complain(error);
  }
}

/** Read the selected sound again after a change. */
async function freshen() {
  const { library, selected } = useShared.getState();
  if (!selected) return;
  const facts = await got(api.GET("/api/lib/{library}/sounds/{number}", { params: { path: { library, number: selected.id } } }));
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

export async function putInSet(set: number, ids?: number[], before: number | null = null): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(
      api.PATCH("/api/lib/{library}/sets/{number}", {
        params: { path: { library, number: set } },
        body: { ...of(ids), name: null, before, take_out: [] },
      }),
    );
    stale();
  } catch (error) {
    complain(error);
  }
}

export async function takeOutOfSet(set: number, ids: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(
      api.PATCH("/api/lib/{library}/sets/{number}", {
        params: { path: { library, number: set } },
        body: { ids: [], all_of: null, name: null, before: null, take_out: ids },
      }),
    );
    stale();
  } catch (error) {
    complain(error);
  }
}

export async function newSet(name: string, ids?: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(api.POST("/api/lib/{library}/sets", { params: { path: { library } }, body: { ...of(ids), name } }));
    stale();
    tell(`The set ${name} is on the left.`);
  } catch (error) {
    complain(error);
  }
}

/** Write sounds or a part of one to a folder; the hand-over folder when none is given. */
export async function exportFiles(
  folder: string,
  ids?: number[],
  part: [number, number] | null = null,
  target: Target = PLAIN_TARGET,
  chain: Step[] = [],
): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(
      api.POST("/api/lib/{library}/export", { params: { path: { library } }, body: { ...of(ids), folder, target, part, chain } }),
    );
    const job = await whenDone(started.job);
    if (job.state !== "done") return;
    const result = job.result as { files: string[]; failed: { path: string; reason: string }[]; folder: string };
    if (result.failed.length) tell(`${result.failed[0].path}: ${result.failed[0].reason}`, true);
    else tell(`${result.files.length} ${result.files.length === 1 ? "file" : "files"} written to ${result.folder} and read back.`);
  } catch (error) {
    complain(error);
  }
}

export async function proposeAnchors(kind: "" | "hit" | "top" | "end" | "start"): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(api.POST("/api/lib/{library}/anchors", { params: { path: { library } }, body: { ...among(), kind } }));
    const job = await whenDone(started.job);
    if (job.state !== "done") return;
    tell(`${(job.result as { changed: number }).changed} anchors moved; undo takes it back.`);
    stale();
    await freshen();
  } catch (error) {
    complain(error);
  }
}

/** What is dragged out of the table: its rows for the rest of the app, and a file for the desktop. */
export const ROWS = "application/x-oskren-sounds";

export function dragged(transfer: DataTransfer, ids: number[], name: string, part: [number, number] | null) {
  const { library } = useShared.getState();
  transfer.effectAllowed = "copyMove";
  transfer.setData(ROWS, JSON.stringify(ids));
  const span = part ? `?start=${part[0]}&end=${part[1]}` : "";
  const address = `${window.location.origin}/api/lib/${library}/sounds/${ids[0]}/file${span}`;
  transfer.setData("DownloadURL", `audio/wav:${name.replace(/[:/\\]/g, "_")}.wav:${address}`);
  transfer.setData("text/uri-list", address);
}

export function droppedRows(transfer: DataTransfer): number[] | null {
  const text = transfer.getData(ROWS);
  return text ? (JSON.parse(text) as number[]) : null;
}

/** Rows that a drag of one row takes along: all chosen ones when it is among them. */
export function dragAlong(id: number): number[] {
  const { chosen } = useGather.getState();
  return chosen.includes(id) ? chosen : [id];
}
