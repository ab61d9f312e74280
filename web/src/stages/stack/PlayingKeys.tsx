/** The keys, as they lie on the keyboard, and what was played on them over time. */
import { Box, Flex } from "@chakra-ui/react";
import { Bare } from "../../ui/buttons";
import { LETTERS, ROWS } from "./slots";
import { type Performing, SOFT } from "./usePerformance";

export function PlayingKeys({ performing: { slots, lit, chosen, hit } }: { performing: Performing }) {
  return (
    <>
      {ROWS.map((row, r) => (
        <Flex key={row} gap="7px" pl={`${r * 24}px`}>
          {[...row].map((letter) => {
            const i = LETTERS.indexOf(letter);
            const slot = slots[i];
            return (
              <Bare
                key={`${letter} ${lit[i] ?? 0}`}
                aria-label={slot ? `Key ${letter}: ${slot.name}` : `Key ${letter}, empty`}
                flex="0 0 79px"
                h="84px"
                p="7px"
                borderRadius="10px"
                border="1px solid"
                borderColor={i === chosen && slot ? "amber" : "line"}
                bg={slot ? "raised" : "sheet"}
                textAlign="left"
                display="flex"
                flexDirection="column"
                justifyContent="space-between"
                cursor="pointer"
                animation={lit[i] ? "struck 260ms ease-out" : undefined}
                onPointerDown={(event) => {
                  event.preventDefault();
                  hit(i, event.shiftKey ? SOFT : 1);
                }}
              >
                <Flex justify="space-between">
                  <Box fontFamily="mono" color={slot ? "glass" : "dim"}>
                    {letter}
                  </Box>
                  <Box fontSize="10px" color="dim">
                    {slot?.choke}
                  </Box>
                </Flex>
                <Box fontSize="11px" lineHeight="13px" maxH="39px" overflow="hidden">
                  {slot?.name}
                </Box>
              </Bare>
            );
          })}
        </Flex>
      ))}
    </>
  );
}

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
