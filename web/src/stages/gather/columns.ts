/** The columns a table of sounds can show, and which of them its user chose. */
import { create } from "zustand";
import type { SoundRow } from "../../api/client";
import { channels, hertz, level, note, seconds } from "../../ui/format";

export interface Column {
  key: string;
  title: string;
  width: string;
  /** What the server sorts by; own fields are shown but not sorted by. */
  sort: string | null;
  cell: (row: SoundRow) => string;
}

export const COLUMNS: Column[] = [
  { key: "category", title: "Category", width: "104px", sort: "category", cell: (row) => row.category || "none yet" },
  { key: "tags", title: "Tags", width: "110px", sort: null, cell: (row) => row.tags },
  { key: "length", title: "Length", width: "50px", sort: "duration_s", cell: (row) => seconds(row.seconds) },
  { key: "rate", title: "kHz", width: "32px", sort: "rate", cell: (row) => String(row.rate / 1000) },
  {
    key: "channels",
    title: "Channels",
    width: "58px",
    sort: "channels",
    cell: (row) => (row.channels > 2 && !row.layout.startsWith("unknown") ? row.layout : channels(row.channels)),
  },
  { key: "bits", title: "Bits", width: "26px", sort: "bits", cell: (row) => (row.bits ? String(row.bits) : "") },
  { key: "format", title: "Format", width: "46px", sort: "format", cell: (row) => row.format },
  { key: "peak", title: "Peak", width: "38px", sort: "peak", cell: (row) => level(row.peak) },
  { key: "loudness", title: "Loudness", width: "58px", sort: "loudness", cell: (row) => level(row.loudness) },
  { key: "brightness", title: "Brightness", width: "66px", sort: "brightness", cell: (row) => hertz(row.brightness) },
  { key: "bandwidth", title: "Reaches", width: "56px", sort: "bandwidth", cell: (row) => hertz(row.bandwidth) },
  { key: "pitch", title: "Pitch", width: "62px", sort: "pitch", cell: (row) => (row.pitch ? `${note(row.pitch)} ${hertz(row.pitch)}` : "") },
  { key: "key", title: "Key", width: "58px", sort: null, cell: (row) => row.key ?? "" },
  { key: "strength", title: "Strength", width: "54px", sort: "strength", cell: (row) => (row.strength ? String(row.strength) : "") },
  { key: "rating", title: "Rated", width: "38px", sort: "rating", cell: (row) => (row.rating ? String(row.rating) : "") },
  { key: "anchor", title: "Anchor", width: "40px", sort: "anchor", cell: (row) => row.anchor_kind },
  { key: "folder", title: "Folder", width: "110px", sort: "folder", cell: (row) => row.folder.split("/").slice(-2).join("/") },
  { key: "added", title: "Added", width: "72px", sort: "created", cell: (row) => row.created.slice(0, 10) },
  { key: "recorded", title: "Recorded", width: "72px", sort: "recorded", cell: (row) => row.recorded.slice(0, 10) },
];

const FIRST = ["category", "length", "channels", "peak", "loudness", "brightness", "strength", "rating"];

export const useColumns = create<{ shown: string[] }>(() => ({
  shown: JSON.parse(localStorage.getItem("columns") ?? "null") ?? FIRST,
}));

export function showColumn(key: string, on: boolean) {
  const shown = on ? [...useColumns.getState().shown, key] : useColumns.getState().shown.filter((one) => one !== key);
  localStorage.setItem("columns", JSON.stringify(shown));
  useColumns.setState({ shown });
}

const [GAP, NAME, WAVE, EDGES] = [8, 90, 63, 60];

/** What waveform, name and some columns take side by side (px). */
export const widthOf = (columns: Column[]): number =>
  WAVE + GAP + NAME + EDGES + columns.reduce((sum, column) => sum + Number.parseInt(column.width, 10) + GAP, 0);

/** As many of the usual columns as there is room for (px); those somebody chose are all shown, and scrolled to where they must be. */
export function fitting(columns: Column[], room: number): Column[] {
  if (useColumns.getState().shown !== FIRST) return columns;
  return columns.filter((_, place) => widthOf(columns.slice(0, place + 1)) <= room);
}

/** The chosen columns in their order, with those of own fields. */
export function columnsOf(shown: string[], own: string[]): Column[] {
  const all = [
    ...COLUMNS,
    ...own.map((name): Column => ({ key: `own ${name}`, title: name, width: "70px", sort: null, cell: (row) => String(row.fields[name] ?? "") })),
  ];
  return all.filter((column) => shown.includes(column.key));
}
