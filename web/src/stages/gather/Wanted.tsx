import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { useRecording } from "../../listening/recording";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input, TextField } from "../../ui/fields";
import { useKeys } from "../../ui/keys";
import { ask, useGather } from "./sounds";
import { answer, changeWanted, loadTable, PRIORITIES, removeWanted, STATES, unlink, useWanted, type WantedEntry, want } from "./wanting";

const INK: Record<string, string> = { wanted: "line", found: "glassDeep", "to record": "faint", recorded: "sky", designed: "plum", done: "glass" };

interface Props {
  onClose: () => void;
  onRecord: () => void;
  audition: (row: SoundRow) => void;
}

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

/** What the library has for an entry, and what answers it already. */
function Answers({ entry, audition }: { entry: WantedEntry; audition: Props["audition"] }) {
  const library = useShared((state) => state.library);
  const { chosen } = useGather();
  const selected = useShared((state) => state.selected);
  const found = useQuery({
    queryKey: ["suggestions", library, entry.id, entry.what, entry.answers.length],
    queryFn: () => got(api.GET("/api/lib/{library}/wanted/{id}/suggestions", { params: { path: { library, id: entry.id } } })),
  });
  const designs = useQuery({
    queryKey: ["designs", library],
    queryFn: () => got(api.GET("/api/lib/{library}/designs", { params: { path: { library } } })),
  });
  const mine = chosen.length > 1 ? chosen : selected ? [selected.id] : [];
  const linked = (kind: string, item: number) => entry.answers.some((one) => one.kind === kind && one.item === item);
  return (
    <Flex
      direction="column"
      gap="6px"
      px="10px"
      py="8px"
      bg="ground"
      borderRadius="6px"
      mb="4px"
      role="group"
      aria-label={`Answers to ${entry.what}`}
    >
      <Flex gap="6px" align="center">
        <Box flex={1}>
          <TextField
            label={`Words of ${entry.what}`}
            value={entry.what}
            onCommit={(what) => what.trim() && void changeWanted(entry.id, { what: what.trim() })}
          />
        </Box>
        <Box color="dim">how many</Box>
        <Box w="58px">
          <TextField
            mono
            label={`How many of ${entry.what}`}
            value={String(entry.how_many)}
            onCommit={(count) => Number(count) >= 1 && void changeWanted(entry.id, { how_many: Math.round(Number(count)) })}
          />
        </Box>
      </Flex>
      <TextField
        label={`Notes on ${entry.what}`}
        placeholder="Notes"
        value={entry.notes}
        onCommit={(notes) => void changeWanted(entry.id, { notes })}
      />
      <Flex gap="6px" wrap="wrap" align="center">
        {entry.answers.map((one) => (
          <Flex key={`${one.kind} ${one.item}`} align="center" bg="raised" borderRadius="6px" pl="8px" gap="2px">
            {one.kind === "design" ? `${one.name}, a design` : one.name}
            <Do quiet hint={`${one.name} does not answer this`} onClick={() => void unlink(entry.id, one.kind, one.item)}>
              ×
            </Do>
          </Flex>
        ))}
        <Do
          disabled={!mine.length || (mine.length === 1 && linked("sound", mine[0]))}
          onClick={() => void answer(entry.id, mine)}
          hint="The rows chosen in the table answer this"
        >
          {mine.length > 1 ? `Link ${mine.length} chosen` : selected ? `Link ${selected.name.slice(0, 28)}` : "Link the selected sound"}
        </Do>
        {(designs.data?.length ?? 0) > 0 && (
          <Choose
            label={`Link a design to ${entry.what}`}
            value=""
            options={[
              ["", "Link a design"],
              ...(designs.data ?? []).filter((one) => !linked("design", one.id)).map((one) => [String(one.id), one.name] as const),
            ]}
            onChange={(value) => value && void answer(entry.id, [Number(value)], "design")}
          />
        )}
      </Flex>
      {found.data?.map(({ sound, fit }) => (
        <Flex key={sound.id} align="center" gap="8px" fontSize="12px" data-suggestion={sound.id}>
          <Do quiet onClick={() => audition(sound)} hint={`Hear ${sound.name}`}>
            Hear
          </Do>
          <Box w="70px" flexShrink={0}>
            <MiniWave outline={sound.outline} width="70px" height="18px" />
          </Box>
          <Box flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {sound.name}
          </Box>
          <Box color="dim" whiteSpace="nowrap">
            {sound.category}
          </Box>
          <Box fontFamily="mono" color="dim" w="76px" textAlign="right" whiteSpace="nowrap">
            fits {Math.round(fit * 100)} %
          </Box>
          <Do quiet onClick={() => void answer(entry.id, [sound.id])} hint={`${sound.name} answers this`}>
            Link
          </Do>
        </Flex>
      ))}
      {found.data?.length === 0 && (
        <Box color="dim" fontSize="12px">
          {entry.answers.length ? "Nothing else here fits." : "Nothing in the library fits: record it, or put it to be recorded."}
        </Box>
      )}
    </Flex>
  );
}

/** The wanted list of the project: what is needed, how far it is, and what answers it. */
export function Wanted({ onClose, onRecord, audition }: Props) {
  const wanted = useWanted();
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const [open, setOpen] = useState<number | null>(null);
  const [priority, setPriority] = useState(2);
  const [shown, setShown] = useState("");
  const picking = useRef<HTMLInputElement>(null);
  const entries = wanted.data?.entries ?? [];
  const listed = entries.filter((entry) => !shown || (shown === "open" ? entry.state !== "done" : entry.state === shown));
  const at = listed.findIndex((entry) => entry.id === open);
  const step = (by: number) => setOpen(listed[Math.max(0, Math.min(listed.length - 1, at + by))]?.id ?? null);
  const look = (entry: WantedEntry) => {
    useGather.setState({ answering: { id: entry.id, what: entry.what } });
    ask({ q: entry.search, facets: {}, like: null, trash: false });
    onClose();
  };
  const record = (entry: WantedEntry) => {
    useRecording.setState({ wanted: { id: entry.id, what: entry.what, library }, name: entry.what.slice(0, 160), number: 1 });
    if (entry.state === "wanted" || entry.state === "found") void changeWanted(entry.id, { state: "to record" });
    onRecord();
  };
  useKeys({ leave: onClose, wanted: onClose, next: () => step(1), previous: () => step(-1) }, { over: true });
  return (
    <Flex
      direction="column"
      gap="8px"
      bg="raised"
      borderBottom="1px solid"
      borderColor="line"
      p="12px"
      role="region"
      aria-label="Wanted list"
      maxH="470px"
    >
      <Flex gap="8px" align="center">
        <Input
          label="What is wanted"
          placeholder="What is wanted, e.g. 3 heron wings unfolding ↵"
          flex={1}
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
        <Do onClick={() => picking.current?.click()} hint="A CSV with a column 'what'; also: how many, priority, state, notes">
          Load CSV
        </Do>
        <a href={`/api/lib/${library}/wanted.csv?project=${project}`} download="wanted.csv" title="The list, with the names of what answers it">
          Save CSV
        </a>
        <Do quiet act="leave" onClick={onClose}>
          Close
        </Do>
        <chakra.input
          ref={picking}
          type="file"
          accept=".csv,.tsv,.txt,text/csv"
          display="none"
          aria-label="Wanted list as CSV"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) void loadTable(file);
          }}
        />
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
      <Box overflowY="auto" minH={0}>
        {listed.map((entry) => (
          <Box key={entry.id} data-wanted={entry.id}>
            <Flex
              align="center"
              gap="8px"
              py="2px"
              borderLeft="3px solid"
              borderColor={INK[entry.state]}
              pl="8px"
              bg={open === entry.id ? "sheet" : undefined}
            >
              <Bare
                aria-expanded={open === entry.id}
                aria-label={`${entry.what}: open`}
                onClick={() => setOpen(open === entry.id ? null : entry.id)}
                flex={1}
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
            {open === entry.id && <Answers entry={entry} audition={audition} />}
          </Box>
        ))}
        {wanted.data && !entries.length && (
          <Box color="dim" py="8px">
            Nothing is wanted yet. Write what this project needs, one line an entry, or load a CSV; each entry is then looked for, recorded or
            designed from here.
          </Box>
        )}
      </Box>
    </Flex>
  );
}

/** While an entry is being looked for: what is chosen answers it by one key. */
export function Answering({ onBack }: { onBack: () => void }) {
  const { answering, chosen } = useGather();
  const selected = useShared((state) => state.selected);
  const wanted = useWanted();
  const mine = chosen.length > 1 ? chosen : selected ? [selected.id] : [];
  const link = () => answering && mine.length > 0 && void answer(answering.id, mine);
  useKeys({ commit: link }, { on: !!answering });
  const gone = !!answering && !!wanted.data && !wanted.data.entries.some((one) => one.id === answering.id);
  useEffect(() => {
    // it was taken off the list, or another project is worked in
    if (gone) useGather.setState({ answering: null });
  }, [gone]);
  if (!answering || gone) return null;
  const entry = wanted.data?.entries.find((one) => one.id === answering.id);
  return (
    <Flex gap="8px" px="10px" py="5px" align="center" bg="amberSoft" borderBottom="1px solid" borderColor="line" role="region" aria-label="Answering">
      <Box color="amber" flex={1} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        Wanted: {answering.what}
        <Box as="span" fontFamily="mono" fontSize="12px">
          {" "}
          {entry ? `${entry.answers.length} of ${entry.how_many}` : ""}
        </Box>
      </Box>
      <Do main act="commit" disabled={!mine.length} onClick={link}>
        {mine.length > 1 ? `Link ${mine.length} chosen` : "Link the selected sound"}
      </Do>
      <Do quiet onClick={onBack}>
        Back to the list
      </Do>
      <Do quiet onClick={() => useGather.setState({ answering: null })} hint="Stop answering this entry">
        ×
      </Do>
    </Flex>
  );
}
