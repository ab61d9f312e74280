/** A table of any length: columns that sort, rows in groups, several of them chosen; only what is in sight is drawn. */
import { Box, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useMemo, useRef } from "react";
import { Bare } from "./buttons";
import { howChosen } from "./choosing";

type Value = string | number | null | undefined;

export interface TableColumn<R> {
  name: string;
  /** In pixels; the column that has none takes what is left. */
  width?: number;
  hint?: string;
  value: (row: R) => Value;
  /** Its value, unless something else is shown. */
  cell?: (row: R) => ReactNode;
  /** It is not sorted by. */
  unsorted?: boolean;
  /** Words, not numbers. */
  plain?: boolean;
  /** Shown only where there is room for all columns. */
  roomy?: boolean;
}

export interface SortedBy {
  by: string;
  down: boolean;
}

const ROW = 27;
const ROOMY = { "@container rows (max-width: 1139px)": { display: "none" } };

/** Rows in the order of a column; what has no value comes last either way. */
export function inOrderOf<R>(rows: readonly R[], columns: readonly TableColumn<R>[], { by, down }: SortedBy): R[] {
  const column = columns.find((one) => one.name === by);
  if (!column) return [...rows];
  const compared = (a: Value, b: Value): number => {
    if (a == null || a === "") return b == null || b === "" ? 0 : 1;
    if (b == null || b === "") return -1;
    const order = typeof a === "number" && typeof b === "number" ? a - b : String(a).localeCompare(String(b), undefined, { numeric: true });
    return down ? -order : order;
  };
  return [...rows].sort((one, other) => compared(column.value(one), column.value(other)));
}

/** Rows group by group, the groups by their names; within a group as they were. */
export function grouped<R>(rows: readonly R[], groupOf: ((row: R) => string) | null): { name: string; rows: R[] }[] {
  if (!groupOf) return [{ name: "", rows: [...rows] }];
  const groups = new Map<string, R[]>();
  for (const row of rows) {
    const name = groupOf(row);
    const its = groups.get(name);
    if (its) its.push(row);
    else groups.set(name, [row]);
  }
  return [...groups]
    .map(([name, its]) => ({ name, rows: its }))
    .sort((one, other) => one.name.localeCompare(other.name, undefined, { numeric: true }));
}

interface Props<R> {
  label: string;
  groups: { name: string; rows: R[] }[];
  keyOf: (row: R) => string;
  columns: readonly TableColumn<R>[];
  sorted: SortedBy;
  onSort: (sorted: SortedBy) => void;
  current: string | null;
  together: ReadonlySet<string>;
  onChoose: (key: string, how: ReturnType<typeof howChosen>) => void;
  onGroup?: (rows: R[]) => void;
  /** What is said of a row whose widest cell may be cut off. */
  hintOf?: (row: R) => string;
  /** What stands back, struck through. */
  struck?: (row: R) => boolean;
  /** Rows carry their key as this data attribute. */
  mark?: string;
  /** What stands in coral. */
  wrong?: (row: R) => boolean;
  /** Acts of a row, behind its cells. */
  acts?: (row: R) => ReactNode;
  actsWidth?: number;
  children?: ReactNode;
}

export function Table<R>({
  label,
  groups,
  keyOf,
  columns,
  sorted,
  onSort,
  current,
  together,
  onChoose,
  onGroup,
  hintOf,
  struck,
  mark = "row",
  wrong,
  acts,
  actsWidth = 120,
  children,
}: Props<R>) {
  const scroller = useRef<HTMLDivElement>(null);
  const lines = useMemo(
    () => groups.flatMap((group) => [...(group.name ? [{ group, row: null }] : []), ...group.rows.map((row) => ({ group, row: row as R | null }))]),
    [groups],
  );
  const list = useVirtualizer({ count: lines.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  const at = current === null ? -1 : lines.findIndex((line) => line.row !== null && keyOf(line.row) === current);
  useEffect(() => {
    if (at >= 0) list.scrollToIndex(at);
  }, [at, list]);
  const size = (column: TableColumn<R>) => ({
    ...(column.width ? { w: `${column.width}px`, flexShrink: 0 } : { flex: 1, minW: 0 }),
    css: column.roomy ? ROOMY : undefined,
  });
  return (
    <Flex direction="column" flex={1} minH={0} minW={0}>
      {children}
      <Flex
        direction="column"
        flex={1}
        minH={0}
        role="table"
        aria-label={label}
        aria-rowcount={lines.length}
        css={{ container: "rows / inline-size" }}
      >
        <Flex
          role="row"
          px="16px"
          gap="10px"
          h="26px"
          align="center"
          color="dim"
          fontSize="12px"
          flexShrink={0}
          borderBottom="1px solid"
          borderColor="line"
        >
          {columns.map((column) => (
            <Box
              key={column.name}
              role="columnheader"
              aria-sort={sorted.by === column.name ? (sorted.down ? "descending" : "ascending") : "none"}
              {...size(column)}
            >
              {column.unsorted ? (
                column.name
              ) : (
                <Bare
                  color={sorted.by === column.name ? "chalk" : "dim"}
                  fontSize="12px"
                  title={column.hint ?? `Sort by ${column.name.toLowerCase()}`}
                  onClick={() => onSort({ by: column.name, down: sorted.by === column.name && !sorted.down })}
                >
                  {column.name}
                  {sorted.by === column.name && <span aria-hidden>{sorted.down ? " ↓" : " ↑"}</span>}
                </Bare>
              )}
            </Box>
          ))}
          {acts && <Box role="columnheader" aria-label="Acts" w={`${actsWidth}px`} flexShrink={0} />}
        </Flex>
        <Box ref={scroller} flex={1} overflowY="auto" minH={0} tabIndex={0} role="rowgroup" aria-label={`${label}, rows`}>
          <Box h={`${list.getTotalSize()}px`} position="relative">
            {list.getVirtualItems().map((item) => {
              const { group, row } = lines[item.index];
              const placed = { position: "absolute", left: 0, right: 0, h: `${ROW}px`, transform: `translateY(${item.start}px)` } as const;
              if (row === null)
                return (
                  <Flex key={`= ${group.name}`} role="row" {...placed} px="16px" align="end" pb="3px">
                    <Box role="cell">
                      <Bare color="glass" fontSize="12px" title="Choose all of them" onClick={() => onGroup?.(group.rows)}>
                        {group.name} ({group.rows.length})
                      </Bare>
                    </Box>
                  </Flex>
                );
              const key = keyOf(row);
              const chosen = together.has(key);
              return (
                <Flex
                  key={key}
                  role="row"
                  {...placed}
                  aria-selected={chosen}
                  {...{ [`data-${mark}`]: key }}
                  align="center"
                  px="16px"
                  gap="10px"
                  fontFamily="mono"
                  fontSize="12px"
                  whiteSpace="nowrap"
                  cursor="pointer"
                  userSelect="none"
                  color={wrong?.(row) ? "coral" : struck?.(row) ? "dim" : undefined}
                  textDecoration={struck?.(row) ? "line-through" : undefined}
                  bg={chosen ? (together.size > 1 ? "amberSoft" : "raised") : undefined}
                  borderBottom="1px solid"
                  borderColor="line"
                  onClick={(event) => onChoose(key, howChosen(event))}
                >
                  {columns.map((column) => (
                    <Box
                      key={column.name}
                      role="cell"
                      overflow="hidden"
                      textOverflow="ellipsis"
                      fontFamily={column.plain ? "body" : undefined}
                      title={column.width ? undefined : (hintOf?.(row) ?? String(column.value(row) ?? ""))}
                      {...size(column)}
                    >
                      {column.cell ? column.cell(row) : column.value(row)}
                    </Box>
                  ))}
                  {acts && (
                    <Flex
                      role="cell"
                      w={`${actsWidth}px`}
                      justify="end"
                      gap="4px"
                      align="center"
                      flexShrink={0}
                      onClick={(event) => event.stopPropagation()}
                    >
                      {acts(row)}
                    </Flex>
                  )}
                </Flex>
              );
            })}
          </Box>
        </Box>
      </Flex>
    </Flex>
  );
}
