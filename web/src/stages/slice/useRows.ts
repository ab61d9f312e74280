/** The slices as rows: what is measured of them, which are shown and in what order, which are chosen. */
import { useMemo, useState } from "react";
import type { Plan } from "../../api/client";
import { inOrderOf, type SortedBy } from "../../ui/Table";
import { COLUMNS, isWithin, type Row, type Within } from "./columns";
import type { Facts } from "./useMeasured";

export function useRows(plan: Plan, facts: ReadonlyMap<number, Facts>) {
  const pieces = plan.slices;
  const [chosen, setChosen] = useState<number | null>(pieces[0]?.id ?? null);
  /** Slices chosen beside the current one, which keys that take several work on. */
  const [beside, setBeside] = useState<ReadonlySet<number>>(new Set());
  const [within, setWithin] = useState<Within | null>(null);
  const [sorted, setSorted] = useState<SortedBy>({ by: "No", down: false });
  const [group, setGroup] = useState<number | null>(null);
  /** The kit that is shown alone. */
  const [kit, setKit] = useState<number | null>(null);
  const rows: Row[] = useMemo(() => pieces.map((piece, i) => ({ ...piece, no: i + 1, facts: facts.get(piece.id) })), [pieces, facts]);
  const inBand = useMemo(() => new Set(rows.filter((row) => isWithin(row, within)).map((row) => row.id)), [rows, within]);
  const inKit = kit === null ? null : plan.kits[kit];
  const shown = inOrderOf(
    rows.filter((row) => inBand.has(row.id) && (group === null || row.facts?.group === group) && (!inKit || inKit.slices.includes(row.id))),
    COLUMNS,
    sorted,
  );
  const together = useMemo(() => new Set([...beside, ...(chosen === null ? [] : [chosen])]), [beside, chosen]);
  const kept = rows.filter((row) => !row.dropped);
  const peaks = kept.map((row) => row.facts?.peak_dbfs ?? Number.NEGATIVE_INFINITY);
  const highest = Math.max(...peaks);
  return {
    ...{ rows, shown, kept, inBand, within, setWithin, sorted, setSorted, group, setGroup, kit, setKit },
    ...{ chosen, setChosen, together },
    current: rows.find((row) => row.id === chosen) ?? null,
    /** All that are chosen; what a band, a group or a kit hides is not worked on. */
    several: shown.filter((row) => together.has(row.id)),
    groups: new Set(kept.flatMap((row) => row.facts?.group ?? [])),
    /** Slices that sound like another that is better. */
    spare: kept.filter((row) => row.facts?.group != null && !row.facts.best),
    /** Peak of the loudest kept slice before the finish (dBFS); null until all of them are measured. */
    loudest: kept.every((row) => row.facts) && Number.isFinite(highest) ? highest : null,
    chooseOne: () => setBeside(new Set()),
    chooseAll: () => setBeside(new Set(shown.map((row) => row.id))),
    chooseMore: (id: number, as: "range" | "one") => {
      const [from, to] = [chosen ?? id, id].map((one) => shown.findIndex((row) => row.id === one));
      if (as === "range") setBeside(new Set(shown.slice(Math.min(from, to), Math.max(from, to) + 1).map((row) => row.id)));
      else if (id !== chosen) setBeside(new Set(beside.has(id) ? [...beside].filter((one) => one !== id) : [...beside, id]));
    },
  };
}

export type Rows = ReturnType<typeof useRows>;
