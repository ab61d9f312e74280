import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import { MiniWave } from "../../canvas/MiniWave";
import { Bare } from "../../ui/buttons";
import { hertz, level, seconds } from "../../ui/format";
import type { Draw } from "./useJudgements";

export const COLUMNS = 4;

/** The variations of a spread; one of them is the one the keys speak of. */
export function Tiles({ draws, at, onPlay }: { draws: Draw[]; at: number; onPlay: (index: number) => void }) {
  return (
    <SimpleGrid columns={COLUMNS} gap="10px" role="listbox" aria-label="Variations">
      {draws.map((draw, index) => (
        <Bare
          key={draw.id}
          role="option"
          aria-selected={index === at}
          data-draw={draw.number}
          data-state={draw.state}
          onClick={() => onPlay(index)}
          textAlign="left"
          p="9px"
          h="104px"
          borderRadius="9px"
          bg={draw.state === "kept" ? "raised" : "sheet"}
          border="1px solid"
          borderColor={index === at ? "amber" : draw.state === "kept" ? "glass" : "line"}
          boxShadow={index === at ? "0 0 0 1px var(--chakra-colors-amber)" : undefined}
          borderStyle={draw.state === "dropped" ? "dashed" : "solid"}
          cursor="pointer"
        >
          <Flex justify="space-between" fontFamily="mono" fontSize="11px">
            <Box fontWeight={700} color={draw.state === "dropped" ? "dim" : undefined}>
              {draw.number}
            </Box>
            <Box color={draw.state === "kept" ? "glass" : "dim"}>{draw.ready ? draw.state : "drawing …"}</Box>
          </Flex>
          <Box opacity={draw.state === "dropped" ? 0.35 : 1}>
            <MiniWave outline={draw.outline} colour={draw.state === "kept" ? "glass" : "dim"} height="48px" />
          </Box>
          <Flex justify="space-between" fontFamily="mono" fontSize="10px" color="dim">
            <span>{draw.seconds === null || draw.seconds === undefined ? "" : seconds(draw.seconds)}</span>
            <span>{draw.loudness == null ? "" : level(draw.loudness)}</span>
            <span>{draw.brightness == null ? "" : hertz(draw.brightness)}</span>
          </Flex>
        </Bare>
      ))}
    </SimpleGrid>
  );
}
