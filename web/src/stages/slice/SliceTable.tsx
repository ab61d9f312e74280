/** The slices as a table: where they lie, what is measured of them, which sound alike; sorted by any column. */
import { Box } from "@chakra-ui/react";
import { useMemo } from "react";
import { MiniWave } from "../../canvas/MiniWave";
import { type SortedBy, Table, type TableColumn } from "../../ui/Table";
import { COLUMNS, clicking, type Row, useShownColumns, WAVE } from "./columns";

/** What is to be said of a slice beside its measures. */
function notes(row: Row): string[] {
  const said = [
    row.dropped ? "dropped" : row.touched && !row.locked && "by hand",
    row.locked && "locked",
    row.loop && "loops",
    !row.dropped && clicking(row.facts, !!row.loop),
  ];
  return said.filter((one): one is string => !!one);
}

const NOTES: TableColumn<Row> = {
  name: "Notes",
  plain: true,
  unsorted: true,
  value: (row) => notes(row).join(", "),
  cell: (row) =>
    notes(row).map((note) => (
      <Box as="span" key={note} mr="8px" color={note.startsWith("clicks") ? "coral" : "dim"}>
        {note}
      </Box>
    )),
};

const keyOf = (row: Row) => String(row.id);

interface Props {
  rows: Row[];
  chosen: number | null;
  /** All that are chosen, the current one among them. */
  together: ReadonlySet<number>;
  sorted: SortedBy;
  onSort: (sorted: SortedBy) => void;
  onChoose: (id: number) => void;
  /** With Shift up to this one, with Ctrl this one too. */
  onMore: (id: number, as: "range" | "one") => void;
}

export function SliceTable({ rows, chosen, together, sorted, onSort, onChoose, onMore }: Props) {
  const picked = useShownColumns((state) => state.chosen);
  const columns = useMemo(() => {
    const shown = picked ? COLUMNS.filter((column) => picked.includes(column.name)) : COLUMNS;
    const cells = shown.map(
      (column): TableColumn<Row> => ({
        ...column,
        // what somebody chose is shown however little room there is
        roomy: column.roomy && !picked,
        cell: (row) => (column.name === WAVE ? row.facts && <MiniWave outline={row.facts.outline} height={21} /> : column.shown(row)),
      }),
    );
    return [...cells, NOTES];
  }, [picked]);
  const groups = useMemo(() => [{ name: "", rows }], [rows]);
  const keys = useMemo(() => new Set([...together].map(String)), [together]);
  return (
    <Table
      label="Slices"
      mark="slice"
      groups={groups}
      keyOf={keyOf}
      columns={columns}
      sorted={sorted}
      onSort={onSort}
      current={chosen === null ? null : String(chosen)}
      together={keys}
      onChoose={(key, how) => (how === "one" ? onChoose(Number(key)) : onMore(Number(key), how === "range" ? "range" : "one"))}
      struck={(row) => !!row.dropped}
    />
  );
}
