/** The find-anything field: sounds, designs, commands. */

import { Box, Dialog, Flex, Portal } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got } from "../api/client";
import { addToSheet } from "../between/sheet";
import { MiniWave } from "../canvas/MiniWave";
import { openToHear } from "../listening/opening";
import { player } from "../listening/player";
import { useShared } from "../session/store";
import { Bare } from "../ui/buttons";
import { Input } from "../ui/fields";
import { seconds } from "../ui/format";
import { useKeys } from "../ui/keys";

interface Entry {
  key: string;
  title: string;
  note: string;
  outline?: string;
  run: () => void;
}

export function Find({ onClose }: { onClose: () => void }) {
  const library = useShared((state) => state.library);
  const go = useNavigate();
  useKeys({ leave: onClose }, { over: true });
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const field = useRef<HTMLInputElement>(null);
  const found = useQuery({
    queryKey: ["find", library, text],
    enabled: text.trim().length > 1,
    queryFn: () => got(api.GET("/api/lib/{library}/find", { params: { path: { library }, query: { q: text } } })),
  });
  const commands: Entry[] = [
    ...(["gather", "mend", "stack", "vary", "slice", "ship", "picture"] as const).map((stage) => ({
      key: stage,
      title: `Go to ${stage[0].toUpperCase()}${stage.slice(1)}`,
      note: "stage",
      run: () => go(`/${stage}`),
    })),
    { key: "record", title: "Record a take", note: "command", run: () => go("/gather?panel=record") },
    { key: "recorder", title: "Field recorder", note: "command", run: () => go("/gather?panel=recorder") },
    { key: "card", title: "Offload a recorder's card", note: "command", run: () => go("/gather?panel=card") },
    { key: "wanted", title: "Wanted list", note: "command", run: () => useShared.setState({ wanting: true }) },
    { key: "import", title: "Import files or a folder", note: "command", run: () => go("/gather?panel=import") },
  ];
  const entries: Entry[] = [
    ...(text.trim().length > 1 ? (found.data ?? []) : []).map((hit) => ({
      key: `${hit.kind}${hit.id}`,
      title: hit.name,
      note: hit.sound ? `${hit.sound.kind}, ${seconds(hit.sound.seconds)}` : hit.kind,
      outline: hit.sound?.outline,
      run: () => {
        if (hit.kind === "design") {
          useShared.setState({ design: hit.id });
          go("/stack");
        } else if (hit.sound) {
          const { sound } = hit;
          useShared.setState({ selected: sound });
          go(`/gather?sound=${hit.id}`);
          void openToHear({ sound: sound.id }, library, sound.name, { lufs: sound.loudness }).then((heard) => heard && player.play(heard));
        }
      },
    })),
    ...commands.filter((command) => !text || command.title.toLowerCase().includes(text.toLowerCase())),
  ];
  const chosen = entries[Math.min(at, entries.length - 1)];
  const run = (entry: Entry | undefined) => {
    onClose();
    entry?.run();
  };
  return (
    <Dialog.Root
      open
      onOpenChange={(now) => !now.open && onClose()}
      placement="top"
      size="lg"
      motionPreset="none"
      initialFocusEl={() => field.current}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content aria-label="Find anything" overflow="hidden">
            <Input
              ref={field}
              role="combobox"
              aria-expanded
              aria-controls="found"
              aria-activedescendant={chosen ? `found-${chosen.key}` : undefined}
              label="Find a sound, design or command"
              placeholder="Find a sound, design or command"
              value={text}
              onChange={(event) => {
                setText(event.target.value);
                setAt(0);
              }}
              onKeyDown={(event) => {
                if (event.key === "ArrowDown" || event.key === "ArrowUp") {
                  event.preventDefault();
                  setAt((now) => Math.min(entries.length - 1, Math.max(0, now + (event.key === "ArrowDown" ? 1 : -1))));
                } else if (event.key === "Enter") run(chosen);
              }}
              border="none"
              bg="transparent"
              px="14px"
              h="46px"
              fontSize="15px"
              outline="none"
            />
            <Box id="found" role="listbox" borderTop="1px solid" borderColor="line" maxH="420px" overflowY="auto">
              {entries.map((entry) => (
                <Flex
                  key={entry.key}
                  id={`found-${entry.key}`}
                  role="option"
                  tabIndex={-1}
                  aria-selected={entry === chosen}
                  align="center"
                  gap="12px"
                  px="14px"
                  py="6px"
                  bg={entry === chosen ? "raised" : undefined}
                  cursor="pointer"
                  onClick={() => run(entry)}
                  onKeyDown={(event) => event.key === "Enter" && run(entry)}
                >
                  {entry.outline && <MiniWave outline={entry.outline} width="80px" height={20} />}
                  <Box flex={1}>{entry.title}</Box>
                  <Box color="dim" fontFamily="mono" fontSize="11px">
                    {entry.note}
                  </Box>
                  {entry.key.startsWith("sound") && entry === chosen && (
                    <Bare
                      color="glass"
                      fontSize="12px"
                      onClick={(event) => {
                        event.stopPropagation();
                        void addToSheet("sounds", [Number(entry.key.slice(5))]);
                      }}
                    >
                      put on the sheet
                    </Bare>
                  )}
                </Flex>
              ))}
            </Box>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
