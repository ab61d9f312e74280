/** The slices as a table: where they lie, what is measured of them, which sound alike; sorted by any column. */
import { Box, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { Bare } from "../../ui/buttons";
import { clock, hertz, level, seconds } from "../../ui/format";
import type { Facts } from "./useMeasured";
import type { Piece } from "./usePlan";

export interface Row extends Piece {
  facts: Facts | undefined;
}

export interface Sorted {
  by: string;
  down: boolean;
}

/** What slices are shown by: those whose value of a column lies in a band. */
export interface Within {
  by: string;
  band: readonly [number, number];
}

interface Column {
  name: string;
  width: number;
  /** Shown only where the table is wide enough for all of them. */
  roomy?: boolean;
  hint?: string;
  value: (row: Row) => number | null | undefined;
  shown: (row: Row) => string;
  /** How one value is written, where slices can be shown by it. */
  written?: (value: number) => string;
  /** Heard in ratios, as times and frequencies are. */
  ratio?: boolean;
}

const said = (value: number | null | undefined, write: (one: number) => string) => (value == null ? "" : write(value));

const COLUMNS: readonly Column[] = [
  { name: "No", width: 44, value: (row) => row.no, shown: (row) => String(row.no) },
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

/** Whether a slice is among those that are shown; what is not measured yet is. */
export function isWithin(row: Row, within: Within | null): boolean {
  const value = within && COLUMNS.find((column) => column.name === within.by)?.value(row);
  return within === null || value == null || (value >= within.band[0] && value <= within.band[1]);
}

/** Rows in the order of a column; what has no value comes last. */
export function inOrder(rows: readonly Row[], { by, down }: Sorted): Row[] {
  const column = COLUMNS.find((one) => one.name === by) ?? COLUMNS[0];
  return [...rows].sort((one, other) => {
    const [a, b] = [column.value(one), column.value(other)];
    if (a == null || b == null) return (a == null ? 1 : 0) - (b == null ? 1 : 0) || one.no - other.no;
    return (down ? b - a : a - b) || one.no - other.no;
  });
}

const ROOMY = { "@container slices (max-width: 939px)": { display: "none" } };

interface Props {
  rows: Row[];
  chosen: number | null;
  /** All that are chosen, the current one among them. */
  together: ReadonlySet<number>;
  sorted: Sorted;
  onSort: (sorted: Sorted) => void;
  onChoose: (id: number) => void;
  /** With Shift up to this one, with Ctrl this one too. */
  onMore: (id: number, as: "range" | "one") => void;
}

export function SliceTable({ rows, chosen, together, sorted, onSort, onChoose, onMore }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => 27, overscan: 10 });
  const at = rows.findIndex((row) => row.id === chosen);
  useEffect(() => {
    if (at >= 0) list.scrollToIndex(at);
  }, [at, list]);
  return (
    <Flex
      direction="column"
      flex={1}
      minH={0}
      role="table"
      aria-label="Slices"
      aria-rowcount={rows.length}
      css={{ container: "slices / inline-size" }}
    >
      <Flex role="row" px="14px" gap="8px" h="24px" align="center" color="dim" fontSize="12px" flexShrink={0}>
        {COLUMNS.map(({ name, width, hint, roomy }) => (
          <Box
            key={name}
            role="columnheader"
            aria-sort={sorted.by === name ? (sorted.down ? "descending" : "ascending") : "none"}
            w={`${width}px`}
            flexShrink={0}
            css={roomy ? ROOMY : undefined}
          >
            <Bare
              color={sorted.by === name ? "chalk" : "dim"}
              fontSize="12px"
              title={hint ?? `Sort by ${name.toLowerCase()}`}
              onClick={() => onSort({ by: name, down: sorted.by === name && !sorted.down })}
            >
              {name}
              {sorted.by === name && <span aria-hidden>{sorted.down ? " ↓" : " ↑"}</span>}
            </Bare>
          </Box>
        ))}
      </Flex>
      <Box ref={scroller} flex={1} overflowY="auto" minH={0} tabIndex={0} role="rowgroup" aria-label="Rows of slices">
        <Box h={`${list.getTotalSize()}px`} position="relative">
          {list.getVirtualItems().map((item) => {
            const row = rows[item.index];
            return (
              <Flex
                key={row.id}
                role="row"
                aria-selected={together.has(row.id)}
                data-slice={row.id}
                position="absolute"
                left={0}
                right={0}
                transform={`translateY(${item.start}px)`}
                h="27px"
                align="center"
                px="14px"
                gap="8px"
                fontFamily="mono"
                fontSize="12px"
                whiteSpace="nowrap"
                cursor="pointer"
                color={row.dropped ? "dim" : undefined}
                textDecoration={row.dropped ? "line-through" : undefined}
                bg={together.has(row.id) ? (together.size > 1 ? "amberSoft" : "raised") : undefined}
                userSelect="none"
                borderBottom="1px solid"
                borderColor="line"
                onClick={(event) => {
                  if (event.shiftKey) onMore(row.id, "range");
                  else if (event.ctrlKey || event.metaKey) onMore(row.id, "one");
                  else onChoose(row.id);
                }}
              >
                {COLUMNS.map((column) => (
                  <Box key={column.name} role="cell" w={`${column.width}px`} flexShrink={0} css={column.roomy ? ROOMY : undefined}>
                    {column.shown(row)}
                  </Box>
                ))}
                <Box role="cell" color="dim" fontFamily="body" overflow="hidden" textOverflow="ellipsis">
                  {row.dropped ? "dropped" : row.touched ? "by hand" : ""}
                </Box>
              </Flex>
            );
          })}
        </Box>
      </Box>
    </Flex>
  );
}
