/** The slices as a list: start, attack, end, length; what was set by hand or dropped. */
import { Box, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { clock, seconds } from "../../ui/format";
import type { Piece } from "./usePlan";

export function SliceTable({ rows, chosen, onChoose }: { rows: Piece[]; chosen: number | null; onChoose: (id: number) => void }) {
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => 27, overscan: 10 });
  const at = rows.findIndex((row) => row.id === chosen);
  useEffect(() => {
    if (at >= 0) list.scrollToIndex(at);
  }, [at, list]);
  return (
    <Flex direction="column" flex={1} minH={0} role="table" aria-label="Slices" aria-rowcount={rows.length}>
      <Flex role="row" px="14px" gap="10px" h="24px" align="center" color="dim" fontSize="12px" flexShrink={0}>
        {["No", "Start", "Attack", "End", "Length", ""].map((title) => (
          <Box key={title} role="columnheader" w={title === "No" ? "44px" : "110px"}>
            {title}
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
                aria-selected={row.id === chosen}
                data-slice={row.id}
                position="absolute"
                left={0}
                right={0}
                transform={`translateY(${item.start}px)`}
                h="27px"
                align="center"
                px="14px"
                gap="10px"
                fontFamily="mono"
                fontSize="12px"
                cursor="pointer"
                color={row.dropped ? "dim" : undefined}
                textDecoration={row.dropped ? "line-through" : undefined}
                bg={row.id === chosen ? "raised" : undefined}
                borderBottom="1px solid"
                borderColor="line"
                onClick={() => onChoose(row.id)}
              >
                <Box role="cell" w="44px">
                  {row.no}
                </Box>
                <Box role="cell" w="110px">
                  {clock(row.start_s)}
                </Box>
                <Box role="cell" w="110px">
                  {clock(row.attack_s)}
                </Box>
                <Box role="cell" w="110px">
                  {clock(row.end_s)}
                </Box>
                <Box role="cell" w="110px">
                  {seconds(row.end_s - row.start_s)}
                </Box>
                <Box role="cell" color="dim" fontFamily="body">
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
