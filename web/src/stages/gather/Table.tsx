import { Box, chakra, Flex } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { SoundRow } from "../../api/client";
import { channels, hertz, level, seconds } from "../../app/format";
import { MiniWave } from "../../canvas/MiniWave";
import type { Asked, useSounds } from "./sounds";

const ROW = 31;
const COLUMNS: { key: string; title: string; width: string; sort: string; cell: (row: SoundRow) => string }[] = [
  { key: "category", title: "Category", width: "108px", sort: "category", cell: (row) => row.category || "none yet" },
  { key: "length", title: "Length", width: "50px", sort: "duration_s", cell: (row) => seconds(row.seconds) },
  { key: "rate", title: "kHz", width: "30px", sort: "rate", cell: (row) => String(row.rate / 1000) },
  { key: "channels", title: "Ch", width: "42px", sort: "channels", cell: (row) => channels(row.channels) },
  { key: "bits", title: "Bits", width: "24px", sort: "bits", cell: (row) => (row.bits ? String(row.bits) : "") },
  { key: "peak", title: "dBFS", width: "36px", sort: "peak", cell: (row) => level(row.peak) },
  { key: "loudness", title: "LUFS", width: "36px", sort: "loudness", cell: (row) => level(row.loudness) },
  { key: "brightness", title: "Bright", width: "54px", sort: "brightness", cell: (row) => hertz(row.brightness) },
  { key: "rating", title: "Rated", width: "34px", sort: "rating", cell: (row) => (row.rating ? String(row.rating) : "") },
];

interface Props {
  sounds: ReturnType<typeof useSounds>;
  at: number;
  asked: Asked;
  selected: number | null;
  onAsk: (asked: Asked) => void;
  onRange: (range: [number, number]) => void;
  onSelect: (index: number, row: SoundRow | undefined) => void;
}

export function Table({ sounds, at, asked, selected, onAsk, onRange, onSelect }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({ count: sounds.total, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  const items = rows.getVirtualItems();
  const first = items[0]?.index ?? 0;
  const last = items[items.length - 1]?.index ?? 0;
  useEffect(() => onRange([first, last]), [first, last, onRange]);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at);
  }, [at, rows]);
  const sortBy = (key: string) => onAsk({ ...asked, sort: key, descending: asked.sort === key ? !asked.descending : false });
  const header = (title: string, key: string, width?: string) => (
    <chakra.button
      key={key}
      type="button"
      w={width}
      flex={width ? undefined : 1}
      flexShrink={0}
      textAlign="left"
      color={asked.sort === key ? "chalk" : "dim"}
      cursor="pointer"
      whiteSpace="nowrap"
      onClick={() => sortBy(key)}
      aria-label={`Sort by ${key.replace("_s", "").replace("duration", "length")}`}
      title={`Sort by ${key.replace("_s", "").replace("duration", "length")}`}
    >
      {title} {asked.sort === key ? (asked.descending ? "↓" : "↑") : ""}
    </chakra.button>
  );
  return (
    <Flex direction="column" flex={1} minH={0} role="table" aria-label="Sounds" aria-rowcount={sounds.total}>
      <Flex role="row" px="10px" gap="8px" h="25px" align="center" fontSize="12px" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Box w="69px" flexShrink={0} />
        {header("Name", "name")}
        {COLUMNS.map((column) => header(column.title, column.sort, column.width))}
      </Flex>
      <Box ref={scroller} flex={1} overflowY="auto" minH={0} tabIndex={-1}>
        <Box h={`${rows.getTotalSize()}px`} position="relative">
          {items.map((item) => {
            const row = sounds.row(item.index);
            const chosen = row && row.id === selected;
            return (
              <Flex
                key={item.key}
                role="row"
                aria-rowindex={item.index + 1}
                aria-selected={chosen}
                data-sound={row?.id}
                position="absolute"
                top={0}
                left={0}
                right={0}
                h={`${ROW}px`}
                transform={`translateY(${item.start}px)`}
                align="center"
                px="10px"
                gap="8px"
                cursor="pointer"
                bg={chosen ? "raised" : undefined}
                borderLeft="3px solid"
                borderLeftColor={chosen ? "amber" : "transparent"}
                borderBottom="1px solid"
                borderBottomColor="line"
                _hover={{ bg: "raised" }}
                onMouseDown={(event) => event.button === 0 && onSelect(item.index, row)}
              >
                <Box w="66px" flexShrink={0}>
                  {row && <MiniWave row={row.row} colour={chosen ? "amber" : "glass"} />}
                </Box>
                <Box role="cell" flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={row?.name}>
                  {row?.name ?? "…"}
                  {row && row.kind !== "original" && (
                    <Box as="span" color="dim" fontSize="11px" ml="8px">
                      {row.kind}
                    </Box>
                  )}
                  {row?.mended && (
                    <Box as="span" color="plum" fontSize="11px" ml="8px">
                      mended
                    </Box>
                  )}
                </Box>
                {COLUMNS.map((column) => (
                  <Box
                    role="cell"
                    key={column.key}
                    w={column.width}
                    flexShrink={0}
                    overflow="hidden"
                    textOverflow="ellipsis"
                    whiteSpace="nowrap"
                    fontFamily={column.key === "category" ? "body" : "mono"}
                    fontSize="11px"
                  >
                    {row && column.key === "category" ? (
                      <Box
                        as="span"
                        color={row.category ? "chalk" : "dim"}
                        borderBottom={row.category && row.category_sure < 1 ? "1px dashed" : undefined}
                        borderColor="amber"
                        title={row.category_sure < 1 && row.category ? "Proposed from its name; not confirmed yet" : undefined}
                      >
                        {column.cell(row)}
                      </Box>
                    ) : row ? (
                      column.cell(row)
                    ) : (
                      ""
                    )}
                  </Box>
                ))}
              </Flex>
            );
          })}
        </Box>
      </Box>
    </Flex>
  );
}
