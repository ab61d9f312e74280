/** The wanted list, at the side of any stage. */

import { Box, Drawer, Flex, Portal } from "@chakra-ui/react";
import { type KeyboardEvent, useState } from "react";
import { useNavigate } from "react-router";
import type { SoundRow } from "../../api/client";
import { openToHear } from "../../listening/opening";
import { player } from "../../listening/player";
import { useRecording } from "../../listening/recording";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input } from "../../ui/fields";
import { ChooseFiles } from "../../ui/files";
import { useKeys } from "../../ui/keys";
import { Answers } from "./Answers";
import { ask, useGather } from "./sounds";
import { changeWanted, loadTable, PRIORITIES, removeWanted, STATES, useWanted, type WantedEntry, want } from "./wanting";

const INK: Record<string, string> = { wanted: "line", found: "glassDeep", "to record": "faint", recorded: "sky", designed: "plum", done: "glass" };

/** Width of the list at the side of a stage (px). */
const WIDE = "560px";

/** How far the list is, at a glance: a stretch for each state, as long as its share. */
function Progress({ counts }: { counts: Record<string, number> }) {
  const all = Object.values(counts).reduce((sum, count) => sum + count, 0);
  if (!all) return null;
  return (
    <Flex gap="10px" align="center" flex={1} minW={0} role="group" aria-label="Progress of the wanted list">
      <Flex h="9px" flex={1} minW="80px" borderRadius="4px" overflow="hidden" bg="ground">
        {STATES.map(
          (state) =>
            counts[state] > 0 && <Box key={state} bg={INK[state]} w={`${(counts[state] / all) * 100}%`} title={`${counts[state]} ${state}`} />,
        )}
      </Flex>
      <Flex gap="9px" fontSize="11px" color="dim" flexShrink={0} data-testid="progress">
        {STATES.filter((state) => counts[state] > 0).map((state) => (
          <Flex key={state} align="center" gap="4px">
            <Box w="8px" h="8px" borderRadius="2px" bg={INK[state]} />
            <span>
              {counts[state]} {state}
            </span>
          </Flex>
        ))}
      </Flex>
    </Flex>
  );
}

/** The wanted list of the project at the side of any stage: what is needed, how far it is, and what answers it. */
export default function Wanted({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const wanted = useWanted();
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const [open, setOpen] = useState<number | null>(null);
  const [priority, setPriority] = useState(2);
  const [shown, setShown] = useState("");
  const entries = wanted.data?.entries ?? [];
  const listed = entries.filter((entry) => !shown || (shown === "open" ? entry.state !== "done" : entry.state === shown));
  const at = listed.findIndex((entry) => entry.id === open);
  const step = (by: number) => setOpen(listed[Math.max(0, Math.min(listed.length - 1, at + by))]?.id ?? null);
  const look = (entry: WantedEntry) => {
    useGather.setState({ answering: { id: entry.id, what: entry.what } });
    ask({ q: entry.search, facets: {}, like: null, trash: false });
    onClose();
    go("/gather");
  };
  const record = (entry: WantedEntry) => {
    useRecording.setState({ wanted: { id: entry.id, what: entry.what, library }, name: entry.what.slice(0, 160), number: 1 });
    if (entry.state === "wanted" || entry.state === "found") void changeWanted(entry.id, { state: "to record" });
    onClose();
    go("/gather?panel=record");
  };
  const audition = async (row: SoundRow) => {
    const found = await openToHear({ sound: row.id, through: useListening.getState().through }, library, row.name, { lufs: row.loudness });
    if (found) await player.play(found);
  };
  useKeys({ wanted: onClose }, { over: true });
  // arrows go through the list while the keys are in it; else they belong to the stage beside it
  const walk = (event: KeyboardEvent) => {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (!by || event.defaultPrevented || event.target instanceof HTMLInputElement) return;
    event.preventDefault();
    step(by);
  };
  return (
    <Drawer.Root
      open
      placement="end"
      modal={false}
      trapFocus={false}
      preventScroll={false}
      closeOnInteractOutside={false}
      onOpenChange={(now) => !now.open && onClose()}
    >
      <Portal>
        <Drawer.Positioner top="48px" bottom="76px" h="auto" pointerEvents="none" zIndex={15}>
          <Drawer.Content
            aria-label="Wanted list"
            onKeyDown={walk}
            w={WIDE}
            maxW={WIDE}
            h="100%"
            p="12px"
            gap="8px"
            bg="raised"
            borderLeft="1px solid"
            borderColor="line"
            boxShadow="none"
            borderRadius={0}
            pointerEvents="auto"
          >
            <Flex gap="8px" align="center" wrap="wrap">
              <Input
                label="What is wanted"
                placeholder="What is wanted, e.g. 3 heron wings unfolding ↵"
                flex="1 0 100%"
                onKeyDown={(event) => {
                  if (event.key === "Escape") event.currentTarget.blur();
                  if (event.key !== "Enter") return;
                  void want(event.currentTarget.value, priority);
                  event.currentTarget.value = "";
                }}
              />
              <Choose
                label="Priority of the new entry"
                value={String(priority)}
                options={PRIORITIES.map((name, i) => [String(i + 1), name] as const)}
                onChange={(value) => setPriority(Number(value))}
              />
              <ChooseFiles
                label="Wanted list as CSV"
                accept=".csv,.tsv,.txt,text/csv"
                hint="A CSV with a column 'what'; also: how many, priority, state, notes"
                onFiles={([file]) => void loadTable(file)}
              >
                Load CSV
              </ChooseFiles>
              <a href={`/api/lib/${library}/wanted.csv?project=${project}`} download="wanted.csv" title="The list, with the names of what answers it">
                Save CSV
              </a>
              <Do quiet act="leave" onClick={onClose}>
                Close
              </Do>
            </Flex>
            {entries.length > 0 && (
              <Flex gap="10px" align="center">
                <Progress counts={wanted.data?.progress ?? {}} />
                <Choose
                  label="Entries shown"
                  value={shown}
                  options={[["", "all"], ["open", "not done"], ...STATES.map((state) => [state, state] as const)]}
                  onChange={setShown}
                />
              </Flex>
            )}
            <Box overflowY="auto" minH={0} pr="8px">
              {listed.map((entry) => (
                <Box key={entry.id} data-wanted={entry.id}>
                  <Flex
                    align="center"
                    wrap="wrap"
                    gap="4px 8px"
                    py="5px"
                    borderLeft="3px solid"
                    borderColor={INK[entry.state]}
                    pl="8px"
                    bg={open === entry.id ? "sheet" : undefined}
                  >
                    <Bare
                      aria-expanded={open === entry.id}
                      aria-label={`${entry.what}: open`}
                      onClick={() => setOpen(open === entry.id ? null : entry.id)}
                      flex="1 0 calc(100% - 84px)"
                      minW={0}
                      textAlign="left"
                      cursor="pointer"
                      overflow="hidden"
                      textOverflow="ellipsis"
                      whiteSpace="nowrap"
                      fontWeight={entry.priority === 1 ? 650 : 400}
                      color={entry.state === "done" ? "dim" : "chalk"}
                    >
                      {entry.what}
                    </Bare>
                    <Box
                      fontFamily="mono"
                      fontSize="12px"
                      color={entry.answers.length >= entry.how_many ? "glass" : "dim"}
                      title="what answers it, of how many are wanted"
                    >
                      {entry.answers.length} of {entry.how_many}
                    </Box>
                    <Choose
                      label={`Priority of ${entry.what}`}
                      value={String(entry.priority)}
                      options={PRIORITIES.map((name, i) => [String(i + 1), name] as const)}
                      onChange={(value) => void changeWanted(entry.id, { priority: Number(value) })}
                    />
                    <Choose
                      label={`State of ${entry.what}`}
                      value={entry.state}
                      options={STATES.map((state) => [state, state] as const)}
                      onChange={(state) => void changeWanted(entry.id, { state })}
                    />
                    <Do quiet onClick={() => look(entry)} hint="Search the library for it; Enter links what is chosen">
                      Search
                    </Do>
                    <Do quiet onClick={() => record(entry)} hint="Record it: takes answer this entry">
                      Record
                    </Do>
                    <Do quiet onClick={() => void removeWanted(entry)} hint="Take it off the list">
                      ×
                    </Do>
                  </Flex>
                  {open === entry.id && <Answers entry={entry} audition={(row) => void audition(row)} />}
                </Box>
              ))}
              {wanted.data && !entries.length && (
                <Box color="dim" py="8px">
                  Nothing is wanted yet. Write what this project needs, one line an entry, or load a CSV; each entry is then looked for, recorded or
                  designed from here.
                </Box>
              )}
            </Box>
          </Drawer.Content>
        </Drawer.Positioner>
      </Portal>
    </Drawer.Root>
  );
}
