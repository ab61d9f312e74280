import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type DragEvent, type MouseEvent, useEffect, useRef, useState } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { Do } from "../../app/parts";
import { useShared } from "../../app/store";
import { MiniWave } from "../../canvas/MiniWave";
import { COLUMNS, columnsOf, showColumn, useColumns } from "./columns";
import { dragAlong, dragged, droppedRows, putInSet } from "./doing";
import { type Asked, ask, useGather, type useSounds } from "./sounds";

const ROW = 31;

interface Props {
  sounds: ReturnType<typeof useSounds>;
  at: number;
  asked: Asked;
  selected: number | null;
  onRange: (range: [number, number]) => void;
  onSelect: (index: number, row: SoundRow | undefined, event: MouseEvent) => void;
}

function Menu({ own, onClose }: { own: string[]; onClose: () => void }) {
  const shown = useColumns((state) => state.shown);
  const entry = (key: string, title: string) => (
    <chakra.label key={key} display="flex" gap="7px" alignItems="center" cursor="pointer">
      <input type="checkbox" checked={shown.includes(key)} onChange={(event) => showColumn(key, event.target.checked)} />
      {title}
    </chakra.label>
  );
  return (
    <Box
      role="region"
      aria-label="Columns"
      position="absolute"
      top="26px"
      right="6px"
      zIndex={15}
      bg="raised"
      border="1px solid"
      borderColor="line"
      borderRadius="8px"
      p="10px"
      display="grid"
      gridTemplateColumns="1fr 1fr"
      columnGap="16px"
    >
      {COLUMNS.map((column) => entry(column.key, column.title))}
      {own.map((name) => entry(`own ${name}`, name))}
      <Do quiet onClick={onClose}>
        Close
      </Do>
    </Box>
  );
}

export function Table({ sounds, at, asked, selected, onRange, onSelect }: Props) {
  const library = useShared((state) => state.library);
  const scroller = useRef<HTMLDivElement>(null);
  const [choosing, setChoosing] = useState(false);
  const [under, setUnder] = useState(-1);
  const { chosen, all } = useGather();
  const fields = useQuery({
    queryKey: ["fields", library],
    queryFn: () => got(api.GET("/api/lib/{library}/fields", { params: { path: { library } } })),
  });
  const own = (fields.data ?? []).map((field) => field.name);
  const shown = columnsOf(
    useColumns((state) => state.shown),
    own,
  );
  const rows = useVirtualizer({ count: sounds.total, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  const items = rows.getVirtualItems();
  const first = items[0]?.index ?? 0;
  const last = items[items.length - 1]?.index ?? 0;
  useEffect(() => onRange([first, last]), [first, last, onRange]);
  useEffect(() => {
    if (at >= 0) rows.scrollToIndex(at);
  }, [at, rows]);
  const many = all || chosen.length > 1;
  const set = asked.sort.startsWith("set:") ? Number(asked.sort.slice(4)) : null;
  const header = (title: string, key: string | null, width?: string) => (
    <chakra.button
      key={title}
      type="button"
      w={width}
      flex={width ? undefined : 1}
      flexShrink={0}
      textAlign="left"
      color={asked.sort === key ? "chalk" : "dim"}
      cursor={key ? "pointer" : "default"}
      whiteSpace="nowrap"
      overflow="hidden"
      disabled={!key}
      onClick={() => key && ask({ sort: key, descending: asked.sort === key ? !asked.descending : false, like: null })}
      aria-label={`Sort by ${(key ?? title).replace("_s", "").replace("duration", "length")}`}
      title={key ? `Sort by ${key.replace("_s", "").replace("duration", "length")}` : title}
    >
      {title} {asked.sort === key ? (asked.descending ? "↓" : "↑") : ""}
    </chakra.button>
  );
  const dropped = (event: DragEvent, before: SoundRow | undefined) => {
    setUnder(-1);
    const ids = droppedRows(event.dataTransfer);
    if (!ids || set === null) return;
    event.preventDefault();
    event.stopPropagation();
    void putInSet(set, ids, before && !ids.includes(before.id) ? before.id : null);
  };
  return (
    <Flex direction="column" flex={1} minH={0} position="relative" role="table" aria-label="Sounds" aria-rowcount={sounds.total} aria-multiselectable>
      <Flex role="row" px="10px" gap="8px" h="25px" align="center" fontSize="12px" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Box w="66px" flexShrink={0} />
        {header("Name", "name")}
        {shown.map((column) => header(column.title, column.sort, column.width))}
        <Box w="16px" flexShrink={0}>
          <chakra.button
            type="button"
            aria-pressed={choosing}
            aria-label="Choose the columns"
            title="Choose the columns"
            cursor="pointer"
            w="16px"
            onClick={() => setChoosing(!choosing)}
          >
            …
          </chakra.button>
        </Box>
      </Flex>
      {choosing && <Menu own={own} onClose={() => setChoosing(false)} />}
      <Box ref={scroller} flex={1} overflowY="auto" minH={0} tabIndex={-1} outline="none" _focusVisible={{ outline: "none" }}>
        {sounds.loaded && sounds.total === 0 && (
          <Box color="dim" p="24px" textAlign="center">
            Nothing fits all of this. Take a filter or a word away.
          </Box>
        )}
        <Box h={`${rows.getTotalSize()}px`} position="relative">
          {items.map((item) => {
            const row = sounds.row(item.index);
            const here = row && row.id === selected;
            const picked = all || (!!row && chosen.includes(row.id));
            return (
              <Flex
                key={item.key}
                role="row"
                aria-rowindex={item.index + 1}
                aria-selected={here || picked}
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
                bg={here ? "raised" : picked ? "amberSoft" : undefined}
                borderLeft="3px solid"
                borderLeftColor={here || picked ? "amber" : "transparent"}
                borderTop={under === item.index ? "2px solid" : undefined}
                borderTopColor="amber"
                borderBottom="1px solid"
                borderBottomColor="line"
                _hover={{ bg: "raised" }}
                draggable={!!row}
                onDragStart={(event) => row && dragged(event.dataTransfer, dragAlong(row.id), row.name, null)}
                onDragOver={(event) => {
                  if (set === null) return;
                  event.preventDefault();
                  setUnder(item.index);
                }}
                onDragLeave={() => setUnder(-1)}
                onDrop={(event) => dropped(event, row)}
                // a row is heard as the button goes down; while several are chosen it waits for the click, since rows may be dragged
                onMouseDown={(event) => event.button === 0 && !picked && !many && onSelect(item.index, row, event)}
                onClick={(event) => event.button === 0 && (picked || many) && onSelect(item.index, row, event)}
              >
                <Box w="63px" flexShrink={0}>
                  {row && <MiniWave row={row.row} colour={here ? "amber" : "glass"} anchor={row.anchor_s / Math.max(row.seconds, 1e-6)} />}
                </Box>
                <Flex role="cell" flex={1} minW="90px" align="center" gap="7px" title={row?.name}>
                  {row?.mark && <Box w="9px" h="9px" borderRadius="3px" bg={row.mark} flexShrink={0} role="img" aria-label={`mark ${row.mark}`} />}
                  <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" minW={0}>
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
                    {row?.missing && (
                      <Box as="span" color="coral" fontSize="11px" ml="8px">
                        file missing
                      </Box>
                    )}
                  </Box>
                </Flex>
                {shown.map((column) => (
                  <Box
                    role="cell"
                    key={column.key}
                    w={column.width}
                    flexShrink={0}
                    overflow="hidden"
                    textOverflow="ellipsis"
                    whiteSpace="nowrap"
                    fontFamily={["category", "tags", "folder"].includes(column.key) ? "body" : "mono"}
                    fontSize="11px"
                    title={row && ["category", "tags", "folder"].includes(column.key) ? column.cell(row) : undefined}
                  >
                    {row && column.key === "category" ? (
                      <Box
                        as="span"
                        color={row.category ? (row.category_sure < 0.6 ? "amber" : "chalk") : "dim"}
                        borderBottom={row.category && row.category_sure < 1 ? "1px dashed" : undefined}
                        borderColor="amber"
                        title={
                          row.category_sure < 1 && row.category
                            ? `${row.category}: proposed from its words, ${Math.round(row.category_sure * 100)} % sure, not confirmed yet`
                            : row.category
                        }
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
                <Box w="16px" flexShrink={0} />
              </Flex>
            );
          })}
        </Box>
      </Box>
    </Flex>
  );
}
