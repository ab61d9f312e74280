import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type DragEvent, type MouseEvent, memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Tick } from "../../ui/choices";
import { COLUMNS, type Column, columnsOf, fitting, showColumn, useColumns, widthOf } from "./columns";
import { dragAlong, dragged, droppedRows } from "./dragging";
import { putInSet } from "./sets";
import { type Asked, ask, useGather, type useSounds } from "./sounds";

/** How long the panes may take to find their sizes (ms). */
const SETTLING_MS = 1000;
const ROW = 31;
/** Proposals below this are shown as unsure, as in oskren/core/words/propose.py. */
const SURE = 0.6;

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
    <Tick key={key} label={title} on={shown.includes(key)} onChange={(on) => showColumn(key, on)}>
      {title}
    </Tick>
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

interface RowProps {
  row: SoundRow | undefined;
  index: number;
  top: number;
  here: boolean;
  picked: boolean;
  many: boolean;
  under: boolean;
  columns: Column[];
  onSelect: (index: number, row: SoundRow | undefined, event: MouseEvent) => void;
  onOver: ((index: number) => void) | null;
  onDropped: (event: DragEvent, before: SoundRow | undefined) => void;
}

const WORDY = ["category", "tags", "folder"];

/** One row: plain elements, drawn again only when something of it changes, so that scrolling through 200,000 stays smooth. */
const Row = memo(function Row({ row, index, top, here, picked, many, under, columns, onSelect, onOver, onDropped }: RowProps) {
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the arrow keys go from row to row, in Gather's key map
    // biome-ignore lint/a11y/useFocusableInteractive: the table is walked through by the key map, not by tab
    <div
      className="sound-row"
      role="row"
      aria-rowindex={index + 1}
      aria-selected={here || picked}
      data-sound={row?.id}
      data-here={here || undefined}
      data-picked={picked || undefined}
      data-under={under || undefined}
      style={{ height: ROW, transform: `translateY(${top}px)` }}
      draggable={!!row}
      onDragStart={(event) => row && dragged(event.dataTransfer, dragAlong(row.id), row.name, null)}
      onDragOver={(event) => {
        if (!onOver) return;
        event.preventDefault();
        onOver(index);
      }}
      onDragLeave={() => onOver?.(-1)}
      onDrop={(event) => onDropped(event, row)}
      // a row is heard as the button goes down; while several are chosen it waits for the click, since rows may be dragged
      onMouseDown={(event) => event.button === 0 && !picked && !many && onSelect(index, row, event)}
      onClick={(event) => event.button === 0 && (picked || many) && onSelect(index, row, event)}
    >
      <div className="sound-wave">
        {row && <MiniWave outline={row.outline} colour={here ? "amber" : "glass"} anchor={row.anchor_s / Math.max(row.seconds, 1e-6)} />}
      </div>
      {/* biome-ignore lint/a11y/useFocusableInteractive: the arrow keys go from row to row, never into a cell */}
      <div className="sound-name" role="gridcell" title={row?.name}>
        {row?.mark && <i data-mark={row.mark} role="img" aria-label={`mark ${row.mark}`} />}
        <span>
          {row?.name ?? "…"}
          {row && row.kind !== "original" && <small>{row.kind}</small>}
          {row?.mended && <small data-tone="plum">mended</small>}
          {row?.missing && <small data-tone="coral">file missing</small>}
        </span>
      </div>
      {columns.map((column) => (
        // biome-ignore lint/a11y/useFocusableInteractive: the arrow keys go from row to row, never into a cell
        <div
          role="gridcell"
          key={column.key}
          className="sound-cell"
          data-wordy={WORDY.includes(column.key) || undefined}
          data-sure={
            column.key !== "category" || !row
              ? undefined
              : !row.category
                ? "none"
                : row.category_sure < SURE
                  ? "no"
                  : row.category_sure < 1
                    ? "perhaps"
                    : undefined
          }
          style={{ width: column.width }}
          title={
            !row || !WORDY.includes(column.key)
              ? undefined
              : column.key === "category" && row.category && row.category_sure < 1
                ? `${row.category}: proposed from its words, ${Math.round(row.category_sure * 100)} % sure, not confirmed yet`
                : column.cell(row)
          }
        >
          {row ? <span>{column.cell(row)}</span> : ""}
        </div>
      ))}
      <div style={{ width: 16, flexShrink: 0 }} />
    </div>
  );
});

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
  const wantedColumns = useColumns((state) => state.shown);
  const ownNames = own.join("\n");
  const frame = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(Number.POSITIVE_INFINITY);
  useEffect(() => {
    if (!frame.current) return;
    const watch = new ResizeObserver(([{ contentRect }]) => setRoom(contentRect.width));
    watch.observe(frame.current);
    return () => watch.disconnect();
  }, []);
  const chosenColumns = useMemo(() => columnsOf(wantedColumns, ownNames ? ownNames.split("\n") : []), [wantedColumns, ownNames]);
  const shown = useMemo(() => fitting(chosenColumns, room), [chosenColumns, room]);
  const waiting = chosenColumns.length - shown.length;
  const rows = useVirtualizer({ count: sounds.total, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  const items = rows.getVirtualItems();
  const first = items[0]?.index ?? 0;
  const last = items[items.length - 1]?.index ?? 0;
  useEffect(() => onRange([first, last]), [first, last, onRange]);
  // what is gone to stays in sight while its waveform takes a part of the room
  const gone = useRef(0);
  useEffect(() => {
    if (at < 0) return;
    rows.scrollToIndex(at);
    gone.current = performance.now();
    const element = scroller.current;
    if (!element) return;
    const watch = new ResizeObserver(() => performance.now() - gone.current < SETTLING_MS && rows.scrollToIndex(at));
    watch.observe(element);
    return () => watch.disconnect();
  }, [at, rows]);
  const many = all || chosen.length > 1;
  const set = asked.sort.startsWith("set:") ? Number(asked.sort.slice(4)) : null;
  const header = (title: string, key: string | null, width?: string) => (
    <Box
      key={title}
      role="columnheader"
      aria-sort={asked.sort !== key || !key ? undefined : asked.descending ? "descending" : "ascending"}
      w={width}
      flex={width ? undefined : 1}
      minW={width ? undefined : "90px"}
      flexShrink={0}
      overflow="hidden"
    >
      <Bare
        w="100%"
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
      </Bare>
    </Box>
  );
  const dropped = (event: DragEvent, before: SoundRow | undefined) => {
    setUnder(-1);
    const ids = droppedRows(event.dataTransfer);
    if (!ids || set === null) return;
    event.preventDefault();
    event.stopPropagation();
    void putInSet(set, ids, before && !ids.includes(before.id) ? before.id : null);
  };
  // handlers that stay the same, so that rows are not drawn again for them
  const latest = useRef({ onSelect, dropped });
  latest.current = { onSelect, dropped };
  const picking = useCallback((index: number, row: SoundRow | undefined, event: MouseEvent) => latest.current.onSelect(index, row, event), []);
  const dropping = useCallback((event: DragEvent, before: SoundRow | undefined) => latest.current.dropped(event, before), []);
  return (
    <Flex direction="column" flex={1} minH={0} position="relative">
      {choosing && <Menu own={own} onClose={() => setChoosing(false)} />}
      <Flex
        ref={frame}
        direction="column"
        flex={1}
        minH={0}
        overflowX="auto"
        overflowY="hidden"
        role="grid"
        aria-label="Sounds"
        aria-rowcount={sounds.total}
        aria-multiselectable
      >
        <Flex
          role="row"
          minW={`${widthOf(shown)}px`}
          px="10px"
          gap="8px"
          h="25px"
          align="center"
          fontSize="12px"
          borderBottom="1px solid"
          borderColor="line"
          flexShrink={0}
        >
          <div className="sound-wave" />
          {header("Name", "name")}
          {shown.map((column) => header(column.title, column.sort, column.width))}
          <Box w="16px" flexShrink={0} role="columnheader">
            <Bare
              aria-pressed={choosing}
              aria-label="Choose the columns"
              title={waiting ? `Choose the columns; ${waiting} of them wait for a wider window` : "Choose the columns"}
              cursor="pointer"
              w="16px"
              onClick={() => setChoosing(!choosing)}
            >
              …
            </Bare>
          </Box>
        </Flex>
        <Box
          ref={scroller}
          flex={1}
          minW={`${widthOf(shown)}px`}
          overflowY="auto"
          minH={0}
          tabIndex={0}
          outline="none"
          role="rowgroup"
          aria-label="Rows of sounds"
        >
          {sounds.loaded && sounds.total === 0 && (
            <Box color="dim" p="24px" textAlign="center" role="row">
              {asked.trash ? "No sounds in the trash." : "Nothing fits all of this. Take a filter or a word away."}
            </Box>
          )}
          <Box h={`${rows.getTotalSize()}px`} position="relative">
            {items.map((item) => {
              const row = sounds.row(item.index);
              const here = row && row.id === selected;
              const picked = all || (!!row && chosen.includes(row.id));
              return (
                <Row
                  key={item.key}
                  row={row}
                  index={item.index}
                  top={item.start}
                  here={!!here}
                  picked={picked}
                  many={many}
                  under={under === item.index}
                  columns={shown}
                  onSelect={picking}
                  onOver={set === null ? null : setUnder}
                  onDropped={dropping}
                />
              );
            })}
          </Box>
        </Box>
      </Flex>
    </Flex>
  );
}
