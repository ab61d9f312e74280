/** The columns of the table of slices, and which of them are shown. */
import { create } from "zustand";
import { clock, hertz, level, seconds } from "../../ui/format";
import type { TableColumn } from "../../ui/Table";
import type { Facts } from "./useMeasured";
import type { Piece } from "./usePlan";

export type Row = Piece & { facts?: Facts };

/** Which edges of a slice click as it is finished now. */
export function clicking(facts: Facts | undefined, loop: boolean): string {
  const edges = [facts?.clicks_at_start && "start", facts?.clicks_at_end && !loop && "end"].filter(Boolean);
  return edges.length ? `clicks at ${edges.join(" and ")}` : "";
}

export interface Column extends TableColumn<Row> {
  width: number;
  value: (row: Row) => number | null | undefined;
  shown: (row: Row) => string;
  /** How one value is written, where slices can be shown by it. */
  written?: (value: number) => string;
  /** Heard in ratios, as times and frequencies are. */
  ratio?: boolean;
}

const said = (value: number | null | undefined, write: (one: number) => string) => (value == null ? "" : write(value));

/** The waveform has no value to sort by: it stands for where a slice lies. */
export const WAVE = "Waveform";

export const COLUMNS: readonly Column[] = [
  { name: "No", width: 40, value: (row) => row.no, shown: (row) => String(row.no) },
  { name: WAVE, width: 92, hint: "Each drawn to its own peak", value: (row) => row.start_s, shown: () => "" },
  { name: "Start", width: 84, value: (row) => row.start_s, shown: (row) => clock(row.start_s) },
  { name: "Attack", width: 84, roomy: true, value: (row) => row.attack_s, shown: (row) => clock(row.attack_s) },
  { name: "End", width: 84, roomy: true, value: (row) => row.end_s, shown: (row) => clock(row.end_s) },
  {
    name: "Length",
    width: 62,
    value: (row) => row.end_s - row.start_s,
    shown: (row) => seconds(row.end_s - row.start_s),
    written: seconds,
    ratio: true,
  },
  {
    name: "Peak",
    width: 56,
    hint: "Sample peak before the finish, dBFS",
    value: (row) => row.facts?.peak_dbfs,
    shown: (row) => said(row.facts?.peak_dbfs, level),
    written: level,
  },
  {
    name: "True peak",
    width: 74,
    roomy: true,
    hint: "True peak before the finish, dBTP",
    value: (row) => row.facts?.true_peak_dbtp,
    shown: (row) => said(row.facts?.true_peak_dbtp, level),
    written: level,
  },
  {
    name: "Loudness",
    width: 72,
    hint: "Momentary maximum before the finish, LUFS",
    value: (row) => row.facts?.loudness_lufs,
    shown: (row) => said(row.facts?.loudness_lufs, level),
    written: level,
  },
  {
    name: "Brightness",
    width: 80,
    value: (row) => row.facts?.brightness_hz,
    shown: (row) => said(row.facts?.brightness_hz, hertz),
    written: hertz,
    ratio: true,
  },
  { name: "Pitch", width: 66, value: (row) => row.facts?.pitch_hz, shown: (row) => said(row.facts?.pitch_hz, hertz), written: hertz, ratio: true },
  {
    name: "Alike",
    width: 62,
    hint: "Slices with the same number sound alike; the best of them says so",
    value: (row) => row.facts?.group,
    shown: (row) => (row.facts?.group == null ? "" : `${row.facts.group}${row.facts.best ? " best" : ""}`),
  },
];

/** Columns slices can be shown by. */
export const MEASURED = COLUMNS.filter((column) => column.written);

/** The names of the columns somebody chose; null as long as nobody did. */
export const useShownColumns = create<{ chosen: string[] | null }>(() => ({ chosen: JSON.parse(localStorage.getItem("slice columns") ?? "null") }));

export function showColumn(name: string, on: boolean) {
  const before = useShownColumns.getState().chosen ?? COLUMNS.filter((column) => !column.roomy).map((column) => column.name);
  const chosen = on ? [...before, name] : before.filter((one) => one !== name);
  localStorage.setItem("slice columns", JSON.stringify(chosen));
  useShownColumns.setState({ chosen });
}

/** What slices are shown by: values of a column from one to another. */
export interface Within {
  by: string;
  band: readonly [number, number];
}

/** Whether a slice is among those that are shown; what is not measured yet is. */
export function isWithin(row: Row, within: Within | null): boolean {
  const value = within && COLUMNS.find((column) => column.name === within.by)?.value(row);
  return within === null || value == null || (value >= within.band[0] && value <= within.band[1]);
}
