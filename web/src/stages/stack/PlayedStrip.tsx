/** What was played on the keys over time. */
import { Box, Flex } from "@chakra-ui/react";
import { LETTERS } from "../../listening/keyboard";
import type { Performing } from "./usePerformance";

/** Moments of the grid (s), as long as they can be told apart. */
function gridLines(span: number, grid: number): number[] {
  if (grid <= 0 || span / grid > 400) return [];
  return Array.from({ length: Math.floor(span / grid) }, (_, i) => (i + 1) * grid);
}

export function PlayedStrip({ performing: { played, grid, length } }: { performing: Performing }) {
  const span = Math.max(1, length, ...played.map((event) => event.at_s + 0.2));
  return (
    <Box position="relative" h="110px" mt="8px" bg="sheet" border="1px solid" borderColor="line" borderRadius="8px" overflow="hidden" aria-hidden>
      {gridLines(span, grid).map((at) => (
        <Box key={at} position="absolute" top={0} bottom={0} left={`${(at / span) * 100}%`} w="1px" bg="line" />
      ))}
      {played.map((event) => (
        <Box
          key={`${event.slot} ${event.at_s}`}
          position="absolute"
          left={`${(event.at_s / span) * 100}%`}
          top={`${6 + (event.slot / LETTERS.length) * 84}%`}
          w="5px"
          h="9px"
          borderRadius="2px"
          bg="glass"
          opacity={0.4 + 0.6 * event.velocity}
        />
      ))}
      {played.length === 0 && (
        <Flex h="100%" align="center" justify="center" color="dim">
          Enter records; what you play is drawn here. Shift plays softly.
        </Flex>
      )}
    </Box>
  );
}
