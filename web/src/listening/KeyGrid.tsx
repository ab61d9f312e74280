/** The keys that play, as they lie on the keyboard, each with the name of what is under it. */
import { Box, Flex } from "@chakra-ui/react";
import { Bare } from "../ui/buttons";
import { LETTERS, ROWS, SOFT } from "./keyboard";

interface Props {
  keys: readonly { name: string; note?: string }[];
  /** How often each was struck. */
  lit: Record<number, number>;
  chosen: number;
  onHit: (key: number, velocity: number) => void;
}

export function KeyGrid({ keys, lit, chosen, onHit }: Props) {
  return (
    <>
      {ROWS.map((row, r) => (
        <Flex key={row} gap="7px" pl={`${r * 24}px`}>
          {[...row].map((letter) => {
            const i = LETTERS.indexOf(letter);
            const one = keys[i];
            return (
              <Bare
                key={`${letter} ${lit[i] ?? 0}`}
                aria-label={one ? `Key ${letter}: ${one.name}` : `Key ${letter}, empty`}
                flex="0 0 79px"
                h="84px"
                p="7px"
                borderRadius="10px"
                border="1px solid"
                borderColor={i === chosen && one ? "amber" : "line"}
                bg={one ? "raised" : "sheet"}
                textAlign="left"
                display="flex"
                flexDirection="column"
                justifyContent="space-between"
                cursor="pointer"
                animation={lit[i] ? "struck 260ms ease-out" : undefined}
                onPointerDown={(event) => {
                  event.preventDefault();
                  onHit(i, event.shiftKey ? SOFT : 1);
                }}
              >
                <Flex justify="space-between">
                  <Box fontFamily="mono" color={one ? "glass" : "dim"}>
                    {letter}
                  </Box>
                  <Box fontSize="10px" color="dim">
                    {one?.note}
                  </Box>
                </Flex>
                <Box fontSize="11px" lineHeight="13px" maxH="39px" overflow="hidden">
                  {one?.name}
                </Box>
              </Bare>
            );
          })}
        </Flex>
      ))}
    </>
  );
}
