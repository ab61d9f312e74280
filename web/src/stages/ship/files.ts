/** The files of a sheet as rows: what each is made of, where it goes, what is to be said of it. */
import type { Schemas, Target } from "../../api/client";
import type { Sheet, ToSheet } from "../../between/sheet";
import { channels, seconds } from "../../ui/format";
import type { TableColumn } from "../../ui/Table";

type Planned = Schemas["Planned"];
export type Kind = keyof Required<ToSheet>;

export interface FileRow {
  /** Its place among all files of the sheet. */
  place: number;
  planned: Planned;
  kind: Kind;
  id: number;
  facts?: Schemas["Facts"];
  target: string;
  /** Its sound leaves as it was heard. */
  asHeard: boolean;
  /** It writes over a file of somebody else. */
  over: boolean;
}

export const CALLED: Record<Kind, string> = { sounds: "sound", designs: "design", draws: "variation", versions: "version" };

export function rowsOf(files: readonly Planned[], items: readonly Schemas["Facts"][], sheet: Sheet, targets: readonly Target[]): FileRow[] {
  const allowed = new Set(sheet.allowed ?? []);
  return files.map((planned, place) => {
    const facts = items[planned.item];
    const [kind, id] = (facts?.key ?? "sounds/0").split("/") as [Kind, string];
    return {
      ...{ place, planned, kind, id: Number(id), facts, target: targets[planned.target]?.name ?? "" },
      asHeard: kind === "sounds" && !!sheet.heard?.[id],
      over: !planned.problem && allowed.has(planned.path),
    };
  });
}

export const folderOf = (path: string): string => path.split("/").slice(0, -1).join("/");

export const COLUMNS: readonly TableColumn<FileRow>[] = [
  { name: "No", width: 40, value: (row) => row.planned.item + 1 },
  { name: "File", value: (row) => row.planned.path },
  { name: "Sound", width: 140, plain: true, value: (row) => row.facts?.name },
  { name: "Category", width: 110, plain: true, roomy: true, value: (row) => row.facts?.category },
  { name: "Length", width: 58, value: (row) => row.facts?.seconds, cell: (row) => (row.facts?.seconds == null ? "" : seconds(row.facts.seconds)) },
  {
    name: "Channels",
    width: 62,
    plain: true,
    roomy: true,
    hint: "Channels it has before its target",
    value: (row) => row.facts?.channels,
    cell: (row) => (row.facts ? channels(row.facts.channels) : ""),
  },
  { name: "Kind", width: 60, plain: true, value: (row) => CALLED[row.kind] },
  { name: "Target", width: 64, plain: true, value: (row) => row.target },
];

export const GROUPS: Record<string, (row: FileRow) => string> = {
  folder: (row) => folderOf(row.planned.path) || "no folder",
  category: (row) => row.facts?.category || "no category",
  target: (row) => row.target,
  kind: (row) => `${CALLED[row.kind]}s`,
  problem: (row) => row.planned.problem || "no problem",
};

/** The sheet without some of what is on it. */
export function without(sheet: Sheet, rows: readonly FileRow[]): Partial<Sheet> {
  const gone = (kind: Kind) => new Set(rows.filter((row) => row.kind === kind).map((row) => row.id));
  const left = (kind: Kind) => (sheet[kind] ?? []).filter((id) => !gone(kind).has(id));
  return { sounds: left("sounds"), designs: left("designs"), draws: left("draws"), versions: left("versions") };
}

/** The numbers of everything, counted anew in the order of these rows. */
export function numberedAs(rows: readonly FileRow[]): Record<string, Record<string, number>> {
  const order = [...new Set(rows.map((row) => row.facts?.key ?? ""))].filter(Boolean);
  return Object.fromEntries(order.map((key, i) => [key, { number: i }]));
}
