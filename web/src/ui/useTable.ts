/** What a table of rows that are sorted, grouped and chosen holds in hand. */
import { useMemo, useState } from "react";
import { useChoosing } from "./choosing";
import { grouped, inOrderOf, type SortedBy, type TableColumn } from "./Table";

/** ``ways`` are what rows can be grouped by, each with its group's name; columns, ways and ``keyOf`` are the same from one drawing to the next. */
export function useTable<R>(
  rows: readonly R[],
  columns: readonly TableColumn<R>[],
  ways: Readonly<Record<string, (row: R) => string>>,
  keyOf: (row: R) => string,
  first: string,
) {
  const [sorted, setSorted] = useState<SortedBy>({ by: first, down: false });
  const [way, setWay] = useState("");
  const groups = useMemo(() => grouped(inOrderOf(rows, columns, sorted), ways[way] ?? null), [rows, columns, sorted, ways, way]);
  const shown = useMemo(() => groups.flatMap((group) => group.rows), [groups]);
  const choosing = useChoosing(useMemo(() => shown.map(keyOf), [shown, keyOf]));
  return {
    sorted,
    shown,
    choosing,
    chooseAll: () => choosing.chooseThese(shown.map(keyOf)),
    /** For the table. */
    table: {
      ...{ groups, keyOf, columns, sorted },
      ...{ onSort: setSorted, current: choosing.current, together: choosing.together },
      onGroup: (its: R[]) => choosing.chooseThese(its.map(keyOf)),
    },
    /** For the choice of what rows are grouped by. */
    grouping: {
      ...{ label: "Group by", value: way, onChange: setWay },
      options: [["", "no groups"], ...Object.keys(ways).map((name): readonly [string, string] => [name, `by ${name}`])] as const,
    },
  };
}
