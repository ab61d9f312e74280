/** What is done to sounds of the table: describe in bulk with undo, file, hand over. */
import { create } from "zustand";
import { api, got, type Target } from "../../api/client";
import { DRY, type HeardSo, heardSo, saidSo } from "../../between/heard";
import { useListening } from "../../listening/player";
import { type ResultOf, whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
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
    if (change.trashed) tell(trashedSaid(done.count, done.used ?? {}));
    stale();
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
  return `${count} ${count === 1 ? "sound" : "sounds"} put into the trash; undo (Ctrl Z) brings ${count === 1 ? "it" : "them"} back.${told}`;
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

export async function putInSet(set: number, ids?: number[], before: number | null = null): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(
      api.PATCH("/api/lib/{library}/sets/{id}", {
        params: { path: { library, id: set } },
        body: { ...of(ids), name: null, before, take_out: [] },
      }),
    );
    tell("Put on the set; undo (Ctrl Z) takes it back.");
    stale();
  } catch (error) {
    complain(error);
  }
}

export async function takeOutOfSet(set: number, ids: number[]): Promise<void> {
  const { library } = useShared.getState();
  try {
    await got(
      api.PATCH("/api/lib/{library}/sets/{id}", {
        params: { path: { library, id: set } },
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

export type Exported = ResultOf<"export">;

/** An export some of whose files failed: what is shown until it is closed. */
export const useExported = create<{ result: Exported | null; said: string; folder: string; target: Target | null; heard: HeardSo }>(() => ({
  result: null,
  said: "",
  folder: "",
  target: null,
  heard: DRY,
}));

/** Write sounds or a part of one, as they are heard, to a folder; the hand-over folder when none is given. */
export async function exportFiles(
  folder: string,
  ids?: number[],
  part: [number, number] | null = null,
  target: Target | null = null,
  heard: HeardSo = heardSo(part),
): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(
      api.POST("/api/lib/{library}/export", { params: { path: { library } }, body: { ...of(ids), folder, ...(target && { target }), heard } }),
    );
    const { result } = await whenDone(started.job, "export");
    if (!result) return;
    const written = `${result.files.length} ${result.files.length === 1 ? "file" : "files"} written to ${result.folder} and read back${saidSo(heard)}`;
    const lowered = result.said.length ? ` ${result.said[0]}${result.said.length > 1 ? ` (and ${result.said.length - 1} more)` : ""}.` : "";
    const said = `${written}.${lowered}`;
    if (result.failed.length) useExported.setState({ result, said, folder, target, heard });
    else tell(said);
  } catch (error) {
    complain(error);
  }
}

export async function proposeAnchors(kind: "" | "hit" | "top" | "end" | "start"): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(api.POST("/api/lib/{library}/anchors", { params: { path: { library } }, body: { ...among(), kind } }));
    const { result } = await whenDone(started.job, "anchors");
    if (!result) return;
    const { changed, failed } = result;
    const left = failed.length ? ` ${failed.length} left as they were: ${failed[0].reason}` : "";
    tell(`${changed} anchors moved; undo takes it back.${left}`, failed.length > 0);
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
  const { heard } = useListening.getState();
  transfer.effectAllowed = "copyMove";
  transfer.setData(ROWS, JSON.stringify(ids));
  // a part belongs to the sound that is heard; chain, speed and gain to all that are auditioned through them
  const so = heardSo(part && heard?.sound === ids[0] ? part : null);
  const dry = !so.part && !so.chain?.length && !so.speed_st && !so.gain_db;
  const query = dry ? "" : `heard=${encodeURIComponent(JSON.stringify(so))}`;
  const here = `${window.location.origin}/api/lib/${encodeURIComponent(library)}`;
  const many = ids.length > 1;
  // a browser lets one file be dragged out: several sounds go in one, each under its own name
  const address = many
    ? `${here}/files.zip?ids=${ids.join(",")}${query ? `&${query}` : ""}`
    : `${here}/sounds/${ids[0]}/file${query ? `?${query}` : ""}`;
  const file = many ? `${ids.length} sounds.zip` : `${name.replace(/[:/\\]/g, "_")}.wav`;
  transfer.setData("DownloadURL", `${many ? "application/zip" : "audio/wav"}:${file}:${address}`);
  transfer.setData("text/uri-list", address);
}

export function droppedRows(transfer: DataTransfer): number[] | null {
  const text = transfer.getData(ROWS);
  return text ? JSON.parse(text) : null;
}

/** Rows that a drag of one row takes along: all chosen ones when it is among them. */
export function dragAlong(id: number): number[] {
  const { chosen } = useGather.getState();
  return chosen.includes(id) ? chosen : [id];
}
