/** What all keys share while they are played, and the key that was struck last. */
import { Box, Flex } from "@chakra-ui/react";
import { LETTERS } from "../../listening/keyboard";
import { Do } from "../../ui/buttons";
import { ControlOf, useControl } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Heading, Line, Side } from "../../ui/frames";
import type { Performing } from "./usePerformance";

export function PlayingPanel({ performing }: { performing: Performing }) {
  const { slots, chosen, spread, setSpread, level, move, grid, setGrid, amount, setAmount, midi, edit, chokeAll } = performing;
  const { controls } = performing;
  const gain = useControl("Slot", "gain_db");
  const one = slots[chosen];
  return (
    <Side label="Playing">
      <Heading>All keys</Heading>
      <ControlOf control={controls.spread} value={spread} onChange={(value) => setSpread(value)} />
      <ControlOf control={controls.level} value={level} onChange={(value) => move(value)} />
      <ControlOf control={controls.grid} value={grid} onChange={(value) => setGrid(value)} />
      {grid > 0 && <ControlOf control={controls.amount} value={amount} onChange={(value) => setAmount(value)} />}
      <Line />
      {one ? (
        <>
          <Heading>Key {LETTERS[chosen]}</Heading>
          <Box fontWeight={550}>{one.name}</Box>
          <ControlOf control={gain} value={one.gain_db} onChange={(gain_db) => edit({ gain_db: gain_db })} />
          <Box color="dim" fontSize="12px">
            Keys with the same choke word cut each other off.
          </Box>
          <TextField label="Choke word" placeholder="choke word" value={one.choke} onCommit={(choke) => edit({ choke: choke.trim().slice(0, 40) })} />
          <Flex>
            <Do quiet onClick={() => chokeAll(one.choke)}>
              The same for all keys
            </Do>
          </Flex>
        </>
      ) : (
        <Box color="dim">Choose where the sounds under the keys come from.</Box>
      )}
      <Line />
      <Box color="dim" fontSize="12px">
        {midi}
      </Box>
    </Side>
  );
}
