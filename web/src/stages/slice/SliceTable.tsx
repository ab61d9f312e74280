/** The slices as a table: where they lie, what is measured of them, which sound alike; sorted by any column. */
import { Box, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { MiniWave } from "../../canvas/MiniWave";
import { Bare } from "../../ui/buttons";
import { COLUMNS, clicking, type Row, type Sorted, useShownColumns, WAVE } from "./columns";

const ROOMY = { "@container slices (max-width: 1139px)": { display: "none" } };

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
  const picked = useShownColumns((state) => state.chosen);
  const columns = picked ? COLUMNS.filter((column) => picked.includes(column.name)) : COLUMNS;
  const folded = (roomy: boolean | undefined) => (roomy && !picked ? ROOMY : undefined);
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
        {columns.map(({ name, width, hint, roomy }) => (
          <Box
            key={name}
            role="columnheader"
            aria-sort={sorted.by === name ? (sorted.down ? "descending" : "ascending") : "none"}
            w={`${width}px`}
            flexShrink={0}
            css={folded(roomy)}
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
                {columns.map((column) => (
                  <Box key={column.name} role="cell" w={`${column.width}px`} flexShrink={0} css={folded(column.roomy)}>
                    {column.name === WAVE ? row.facts && <MiniWave outline={row.facts.outline} height="21px" /> : column.shown(row)}
                  </Box>
                ))}
                <Box role="cell" color="dim" fontFamily="body" overflow="hidden" textOverflow="ellipsis">
                  {notes(row).map((note) => (
                    <Box as="span" key={note} mr="8px" color={note.startsWith("clicks") ? "coral" : undefined}>
                      {note}
                    </Box>
                  ))}
                </Box>
              </Flex>
            );
          })}
        </Box>
      </Box>
    </Flex>
  );
}
