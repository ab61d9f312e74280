import { Box, Flex, Table } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { NO_NOTES, type Notes } from "../../listening/recording";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Tick } from "../../ui/choices";
import { Input, TextField } from "../../ui/fields";
import { seconds } from "../../ui/format";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { NotesForm } from "./NotesForm";
import { ask } from "./sounds";

const TEMPLATE = "{project} {date} {place} RAW {number:3}";

/** Offload a card, which is a folder with recordings. Copies are compared, named by a template, and come in as one arrival. */
export function CardPanel({ onClose, onDevice }: { onClose: () => void; onDevice: () => void }) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const [folder, setFolder] = useState("");
  const [template, setTemplate] = useState(() => localStorage.getItem("take names") ?? TEMPLATE);
  const [notes, setNotes] = useState<Notes>(NO_NOTES);
  const [second, setSecond] = useState("");
  const [left, setLeft] = useState<string[]>([]);
  const [failed, setFailed] = useState<Schemas["Failed"][]>([]);
  const [busy, setBusy] = useState(false);
  const wanted: Schemas["Looking"] = { folder, template, place: notes.place, project };
  const card = useQuery({
    queryKey: ["card", library, wanted],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => got(api.POST("/api/lib/{library}/card", { params: { path: { library } }, body: wanted })),
  });
  const takes = card.data?.takes ?? [];
  const todo = takes.filter((take) => !take.known && !left.includes(take.path));
  const run = async () => {
    if (!todo.length || busy) return;
    setBusy(true);
    setFailed([]);
    try {
      const started = await got(
        api.POST("/api/lib/{library}/offload", {
          params: { path: { library } },
          body: { ...wanted, only: left.length ? todo.map((take) => take.path) : [], second, notes },
        }),
      );
      const { result } = await whenDone(started.job, "offload");
      if (!result) return;
      void queries.invalidateQueries();
      setFailed(result.failed);
      const beside = result.second_copies ? `, ${result.second_copies} second copies` : "";
      const text = `${result.copied} takes offloaded, every copy compared with the card${beside}.`;
      tell(result.failed.length ? `${text} ${result.failed.length} failed: see the list.` : text, result.failed.length > 0);
      if (result.failed.length) return;
      ask({ q: "", facets: { arrival: [String(result.arrival)] }, like: null, trash: false });
      onClose();
    } catch (error) {
      complain(error);
    } finally {
      setBusy(false);
    }
  };
  useKeys({ leave: onClose, commit: () => void run() }, { over: true });
  return (
    <Flex direction="column" gap="8px" bg="raised" borderBottom="1px solid" borderColor="line" p="12px" role="region" aria-label="Offload a card">
      <Flex gap="8px" align="center">
        <Box flex={1}>
          <TextField
            mono
            label="Folder of the card"
            placeholder="Whole path of the card; empty is the simulated recorder's"
            value={folder}
            onCommit={(path) => setFolder(path.trim())}
          />
        </Box>
        <Input
          mono
          flex={1}
          label="Folder for second copies"
          placeholder="Second copies to this folder (if wanted)"
          value={second}
          onChange={(event) => setSecond(event.target.value)}
        />
        <Do quiet onClick={onDevice}>
          Field recorder
        </Do>
        <Do quiet act="leave" onClick={onClose}>
          Close
        </Do>
      </Flex>
      <NotesForm notes={notes} onChange={(change) => setNotes((before) => ({ ...before, ...change }))} />
      <Flex gap="8px" align="center">
        <Box flex={1}>
          <TextField
            mono
            label="Names of the takes"
            value={template}
            onCommit={(text) => {
              const next = text.trim() || TEMPLATE;
              localStorage.setItem("take names", next);
              setTemplate(next);
            }}
          />
        </Box>
        <Do main act="commit" disabled={!todo.length || busy} onClick={() => void run()}>
          {busy ? "Copying …" : `Offload ${todo.length} ${todo.length === 1 ? "take" : "takes"}`}
        </Do>
      </Flex>
      <Box color="dim" fontSize="11px">
        {"{project} {date} {time} {place} {name} {number:3}"} stand for what they say. The card stays as it is; every copy is read back and compared
        by its hash.
      </Box>
      {card.error && (
        <Box color="coral" role="alert">
          {card.error.message}
        </Box>
      )}
      <Table.ScrollArea maxH="190px" bg="ground" borderRadius="6px" tabIndex={0} role="region" aria-label="What lies on the card">
        {takes.length > 0 && (
          <Table.Root stickyHeader aria-label="Takes on the card">
            <Table.Header>
              <Table.Row>
                {["", "File", "Recorded", "Length", "Name in the library"].map((name) => (
                  <Table.ColumnHeader key={name} aria-label={name || "Whether it is offloaded"} textAlign={name === "Length" ? "end" : undefined}>
                    {name}
                  </Table.ColumnHeader>
                ))}
              </Table.Row>
            </Table.Header>
            <Table.Body>
              {takes.map((take) => (
                <Table.Row key={take.path} color={take.known ? "dim" : "chalk"} data-take={take.path}>
                  <Table.Cell w="1px">
                    <Tick
                      label={`Offload ${take.path}`}
                      on={!take.known && !left.includes(take.path)}
                      disabled={take.known}
                      onChange={(on) => setLeft((before) => (on ? before.filter((one) => one !== take.path) : [...before, take.path]))}
                    />
                  </Table.Cell>
                  <Table.Cell fontFamily="mono" maxW="180px" truncate title={take.path}>
                    {take.path.split("/").pop()}
                  </Table.Cell>
                  <Table.Cell fontFamily="mono" color="dim" whiteSpace="nowrap">
                    {take.date} {take.time.slice(0, 5)}
                  </Table.Cell>
                  <Table.Cell fontFamily="mono" textAlign="end" whiteSpace="nowrap">
                    {seconds(take.seconds)}
                  </Table.Cell>
                  <Table.Cell w="60%" maxW="0" truncate title={take.note || take.name}>
                    {take.known ? "offloaded before" : take.name}
                  </Table.Cell>
                </Table.Row>
              ))}
            </Table.Body>
          </Table.Root>
        )}
        {card.data && !takes.length && (
          <Box color="dim" p="8px">
            No recordings lie here. Record a take on the field recorder, or give the path of another card.
          </Box>
        )}
      </Table.ScrollArea>
      {[...failed, ...(card.data?.skipped ?? [])].map((one) => (
        <Box key={one.path} color="coral" fontSize="12px" overflowWrap="anywhere">
          {one.path}: {one.reason}
        </Box>
      ))}
    </Flex>
  );
}
