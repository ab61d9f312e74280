/** Perform: candidates, layers or one-shots under the computer's keys or MIDI pads; what is played becomes placements of a design. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { KeyGrid } from "../../listening/KeyGrid";
import { Do } from "../../ui/buttons";
import { Pick } from "../../ui/choices";
import { Input, TextField } from "../../ui/fields";
import { Bar, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain } from "../../ui/messages";
import { Beside } from "../../ui/Panes";
import { PlayedStrip } from "./PlayedStrip";
import { PlayingPanel } from "./PlayingPanel";
import { usePerformance } from "./usePerformance";

export function Perform({ design, onClose }: { design: Schemas["DesignView"] | null; onClose: () => void }) {
  const performing = usePerformance(design, onClose);
  const { from, setFrom, ofSounds, slots, ready, name, setName, midi, recording, length, played, record, keep } = performing;
  const [words, setWords] = useState("");
  useKeys({
    commit: () => void record(),
    leave: () => (recording ? void record() : onClose()),
    play: performing.silence,
  });
  return (
    <Flex direction="column" h="100%" role="region" aria-label="Perform">
      <Bar>
        <Title>Perform</Title>
        <Box w="200px">
          <TextField label="Name of the performance" value={name} onCommit={(text) => setName(text.trim() || "Performance")} />
        </Box>
        <Box flex={1} />
        <Box fontFamily="mono" fontSize="12px" color={recording ? "coral" : "dim"} data-testid="performed">
          {recording
            ? `recording ${length.toFixed(1)} s, ${played.length} hits`
            : played.length
              ? `${length.toFixed(1)} s, ${played.length} hits`
              : midi}
        </Box>
        <Do disabled={!played.length || recording} onClick={() => void keep(true)} hint="Keep it as a design, print it, and open the print in Slice">
          Print and slice
        </Do>
        <Do
          disabled={!played.length || recording}
          onClick={() => void keep(false)}
          hint="Every key that was pressed becomes a layer that can be moved"
        >
          Keep as a design
        </Do>
        <Do main act="commit" onClick={() => void record()}>
          {recording ? "End" : "Record"}
        </Do>
        <Do act="leave" onClick={onClose}>
          Back
        </Do>
      </Bar>
      <Beside name="perform" label="the playing" width={276} side={<PlayingPanel performing={performing} />}>
        <Flex direction="column" flex={1} minW={0} p="18px" gap="10px" overflowY="auto">
          <Flex gap="12px" align="end" wrap="wrap">
            <Pick label="Under the keys" value={from} options={["layers", "search", "one-shots"] as const} onChange={setFrom} />
            {from === "search" && (
              <Flex gap="6px">
                <Input
                  label="Search for the keys"
                  placeholder="ratchet where length under 2 s"
                  value={words}
                  w="280px"
                  onChange={(event) => setWords(event.target.value)}
                  onKeyDown={(event) => {
                    if (event.key !== "Enter") return;
                    event.currentTarget.blur();
                    void ofSounds(words).catch(complain);
                  }}
                />
                <Do onClick={() => void ofSounds(words).catch(complain)}>Put under the keys</Do>
              </Flex>
            )}
            <Box color="dim" fontFamily="mono" fontSize="12px" data-testid="keys-ready">
              {ready < slots.length ? `loading ${ready} of ${slots.length}` : `${slots.length} keys hold a sound`}
            </Box>
          </Flex>
          <KeyGrid
            keys={slots.map((one) => ({ name: one.name, note: one.choke }))}
            lit={performing.lit}
            chosen={performing.chosen}
            onHit={performing.hit}
          />
          <PlayedStrip performing={performing} />
        </Flex>
      </Beside>
    </Flex>
  );
}
