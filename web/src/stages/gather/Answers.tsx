/** What answers an entry of the wanted list, what the library has for it, and the line over the table while it is looked for. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { TextField } from "../../ui/fields";
import { useKeys } from "../../ui/keys";
import { useGather } from "./sounds";
import { answer, changeWanted, unlink, useWanted, type WantedEntry } from "./wanting";

/** What the library has for an entry, and what answers it already. */
export function Answers({ entry, audition }: { entry: WantedEntry; audition: (row: SoundRow) => void }) {
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
            <MiniWave outline={sound.outline} width="70px" height={18} />
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
