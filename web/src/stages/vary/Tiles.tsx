import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import { memo } from "react";
import { MiniWave } from "../../canvas/MiniWave";
import { Bare } from "../../ui/buttons";
import { hertz, level, seconds } from "../../ui/format";
import type { Draw } from "./useJudgements";

export const COLUMNS = 4;

interface TileProps {
  draw: Draw;
  index: number;
  chosen: boolean;
  other: boolean;
  sounding: boolean;
  onPlay: (index: number) => void;
  onOther: (index: number) => void;
}

/** One variation: its number, waveform and measures; what it was drawn instead of and what was added to its level where that is so. */
const Tile = memo(function Tile({ draw, index, chosen, other, sounding, onPlay, onOther }: TileProps) {
  const kept = draw.state === "kept";
  const said = draw.note || (draw.instead_of ? `Instead of ${draw.instead_of}` : "");
  return (
    <Bare
      role="option"
      aria-selected={chosen}
      data-draw={draw.number}
      data-state={draw.state}
      data-sounding={sounding || undefined}
      title={said || undefined}
      onClick={(event) => (event.shiftKey ? onOther(index) : onPlay(index))}
      textAlign="left"
      display="block"
      p="9px"
      h="104px"
      borderRadius="9px"
      bg={sounding ? "amberSoft" : kept ? "raised" : "sheet"}
      border="1px solid"
      borderColor={chosen ? "amber" : other ? "plum" : kept ? "glass" : "line"}
      boxShadow={chosen ? "0 0 0 1px var(--chakra-colors-amber)" : other ? "0 0 0 1px var(--chakra-colors-plum)" : undefined}
      borderStyle={draw.state === "dropped" ? "dashed" : "solid"}
      cursor="pointer"
      css={{ contentVisibility: "auto", containIntrinsicSize: "auto 104px" }}
    >
      <Flex justify="space-between" fontFamily="mono" fontSize="11px">
        <Box fontWeight={700} color={draw.state === "dropped" ? "dim" : undefined}>
          {draw.number}
          {said && (
            <Box as="span" color="amber" fontWeight={400} ml="5px">
              {draw.note ? "!" : "instead"}
            </Box>
          )}
        </Box>
        {draw.added_db !== 0 && (
          <Box color="dim" title="Added to match the loudness of the design">
            {draw.added_db > 0 ? "+" : ""}
            {draw.added_db.toFixed(1)} dB
          </Box>
        )}
        <Box color={kept ? "glass" : "dim"}>{draw.ready ? draw.state : "drawing …"}</Box>
      </Flex>
      <Box opacity={draw.state === "dropped" ? 0.35 : 1}>
        <MiniWave outline={draw.outline} colour={kept ? "glass" : "dim"} height="48px" />
      </Box>
      <Flex justify="space-between" fontFamily="mono" fontSize="10px" color="dim" whiteSpace="nowrap">
        <span>{draw.seconds == null ? "" : seconds(draw.seconds)}</span>
        <span>{draw.loudness == null ? "" : level(draw.loudness)}</span>
        <span>{draw.brightness == null ? "" : hertz(draw.brightness)}</span>
      </Flex>
    </Bare>
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

/** The variations of a spread; one of them is the one the keys speak of. */
export function Tiles({ draws, at, other, sounding, onPlay, onOther }: Props) {
  return (
    <SimpleGrid columns={COLUMNS} gap="10px" role="listbox" aria-label="Variations">
      {draws.map((draw, index) => (
        <Tile
          key={draw.id}
          draw={draw}
          index={index}
          chosen={index === at}
          other={draw.id === other}
          sounding={draw.id === sounding}
          onPlay={onPlay}
          onOther={onOther}
        />
      ))}
    </SimpleGrid>
  );
}
