import { Box, SimpleGrid } from "@chakra-ui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useEffect, useRef } from "react";
import { MiniWave } from "../../canvas/MiniWave";
import { hertz, level, seconds } from "../../ui/format";
import type { Draw } from "./useJudgements";

export const COLUMNS = 4;
const [TILE, GAP] = [104, 10];
/** Rows kept ready beyond either edge, so that those come into sight drawn. */
const READY = 3;

const idOf = (draw: Draw) => `variation-${draw.id}`;

interface TileProps {
  draw: Draw;
  index: number;
  count: number;
  chosen: boolean;
  other: boolean;
  sounding: boolean;
  onPlay: (index: number) => void;
  onOther: (index: number) => void;
}

/** One variation: its number, waveform and measures; what it was drawn instead of and what was added to its level where that is so. */
const Tile = memo(function Tile({ draw, index, count, chosen, other, sounding, onPlay, onOther }: TileProps) {
  const kept = draw.state === "kept";
  const said = draw.note || (draw.instead_of ? `Instead of ${draw.instead_of}` : "");
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the arrow keys go from one to the next, in the whole window
    <div
      id={idOf(draw)}
      className="tile"
      role="option"
      tabIndex={-1}
      aria-selected={chosen}
      aria-posinset={index + 1}
      aria-setsize={count}
      data-draw={draw.number}
      data-state={draw.state}
      data-other={other || undefined}
      data-sounding={sounding || undefined}
      title={said || undefined}
      onClick={(event) => (event.shiftKey ? onOther(index) : onPlay(index))}
    >
      <div className="said">
        <b>
          {draw.number}
          {said && <i>{draw.note ? "!" : "instead"}</i>}
        </b>
        {draw.added_db !== 0 && (
          <span title="Added to match the loudness of the design">
            {draw.added_db > 0 ? "+" : ""}
            {draw.added_db.toFixed(1)} dB
          </span>
        )}
        <span className="state">{draw.ready ? draw.state : "drawing …"}</span>
      </div>
      <div className="wave">
        <MiniWave outline={draw.outline} colour={kept ? "glass" : "dim"} height={48} />
      </div>
      <div className="measured">
        <span>{draw.seconds == null ? "" : seconds(draw.seconds)}</span>
        <span>{draw.loudness == null ? "" : level(draw.loudness)}</span>
        <span>{draw.brightness == null ? "" : hertz(draw.brightness)}</span>
      </div>
    </div>
  );
});

interface Props {
  draws: Draw[];
  at: number;
  /** The variation it is compared with. */
  other: number | null;
  /** The one a repetition plays now. */
  sounding: number | null;
  onPlay: (index: number) => void;
  onOther: (index: number) => void;
}

/** The variations of a spread; the one the keys speak of and the one that sounds come into sight. Only rows near what is seen are drawn. */
export function Tiles({ draws, at, other, sounding, onPlay, onOther }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: Math.ceil(draws.length / COLUMNS),
    getScrollElement: () => scroller.current,
    estimateSize: () => TILE + GAP,
    overscan: READY,
    paddingStart: 14,
    paddingEnd: 4,
  });
  useEffect(() => rows.scrollToIndex(Math.floor(at / COLUMNS)), [at, rows]);
  const lit = sounding === null ? -1 : draws.findIndex((one) => one.id === sounding);
  useEffect(() => {
    if (lit >= 0) rows.scrollToIndex(Math.floor(lit / COLUMNS));
  }, [lit, rows]);
  return (
    <Box ref={scroller} flex={1} minH={0} overflowY="auto" px="14px">
      <Box
        position="relative"
        h={`${rows.getTotalSize()}px`}
        role="listbox"
        aria-label="Variations"
        tabIndex={0}
        aria-activedescendant={draws[at] && idOf(draws[at])}
      >
        {rows.getVirtualItems().map((row) => (
          <SimpleGrid
            key={row.key}
            role="presentation"
            columns={COLUMNS}
            gap={`${GAP}px`}
            position="absolute"
            insetX={0}
            style={{ transform: `translateY(${row.start}px)` }}
          >
            {draws.slice(row.index * COLUMNS, (row.index + 1) * COLUMNS).map((draw, place) => {
              const index = row.index * COLUMNS + place;
              return (
                <Tile
                  key={draw.id}
                  draw={draw}
                  index={index}
                  count={draws.length}
                  chosen={index === at}
                  other={draw.id === other}
                  sounding={draw.id === sounding}
                  onPlay={onPlay}
                  onOther={onOther}
                />
              );
            })}
          </SimpleGrid>
        ))}
      </Box>
    </Box>
  );
}
