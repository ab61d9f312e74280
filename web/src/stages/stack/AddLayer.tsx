import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Mix, type Schemas, type SoundRow } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { openToHear } from "../../listening/opening";
import { player } from "../../listening/player";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Input } from "../../ui/fields";
import { seconds } from "../../ui/format";
import { useKeys } from "../../ui/keys";

interface Props {
  design: number;
  designs: Schemas["DesignView"][];
  onClose: () => void;
  onAdd: (what: { sound?: number; design?: number }) => void;
  onFill: (words: string) => void;
}

/** What can be a layer: a sound, or another design. */
interface Offer {
  key: string;
  name: string;
  note: string;
  sound?: SoundRow;
  design?: Schemas["DesignView"];
}

/** Find sounds and add them as layers; the chosen row is heard. A design can be a layer too, and words can fill several at once. */
export function AddLayer({ design, designs, onClose, onAdd, onFill }: Props) {
  const library = useShared((state) => state.library);
  const [q, setQ] = useState("");
  const [words, setWords] = useState("");
  const [at, setAt] = useState(-1);
  const found = useQuery({
    queryKey: ["sounds", library, "layers", q],
    queryFn: () =>
      got(
        api.GET("/api/lib/{library}/sounds", { params: { path: { library }, query: { q, limit: 40, sort: "name", descending: false, offset: 0 } } }),
      ),
  });
  useKeys({ leave: onClose }, { over: true });
  const said = q.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const offered: Offer[] = [
    ...designs
      .filter((one) => one.id !== design && said.every((word) => one.name.toLowerCase().includes(word)))
      .map((one): Offer => ({ key: `design ${one.id}`, name: one.name, note: "design", design: one })),
    ...(found.data?.rows ?? []).map((row): Offer => ({ key: `sound ${row.id}`, name: row.name, note: row.category, sound: row })),
  ];
  const hear = async ({ name, sound, design: inner }: Offer) => {
    const heard = sound
      ? await openToHear({ sound: sound.id }, library, name, { lufs: sound.loudness })
      : await openToHear({ node: inner?.mix as Mix }, library, name, { lufs: null });
    if (heard) await player.play(heard);
  };
  const pick = (index: number) => {
    setAt(index);
    if (offered[index]) void hear(offered[index]);
  };
  const add = ({ sound, design: inner }: Offer) => onAdd(sound ? { sound: sound.id } : { design: inner?.id });
  const step = (by: number) => pick(Math.max(0, Math.min(offered.length - 1, at + by)));
  return (
    <Flex
      direction="column"
      position="absolute"
      top={0}
      left={0}
      right={0}
      maxH="330px"
      zIndex={5}
      bg="raised"
      borderBottom="1px solid"
      borderColor="line"
      role="region"
      aria-label="Add a layer"
    >
      <Flex p="10px" gap="10px">
        <Input
          autoFocus
          label="Search for a layer"
          placeholder="Search; arrows listen, Enter adds"
          value={q}
          onChange={(event) => {
            setQ(event.target.value);
            setAt(-1);
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown" || event.key === "ArrowUp") {
              event.preventDefault();
              step(event.key === "ArrowDown" ? 1 : -1);
            } else if (event.key === "Enter" && offered.length) add(offered[Math.max(0, at)]);
            else if (event.key === "Escape") onClose();
          }}
          flex={1}
        />
        <Do act="leave" onClick={onClose}>
          Done
        </Do>
      </Flex>
      <Flex px="10px" pb="10px" gap="10px" align="center">
        <Input
          label="Fill from words"
          placeholder="Fill from words: brass latch; stone thud; glass ring"
          value={words}
          flex={1}
          onChange={(event) => setWords(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && words.trim() && onFill(words)}
        />
        <Do disabled={!words.trim()} onClick={() => onFill(words)} hint="One layer for every search, with a sound of it at random">
          Fill
        </Do>
      </Flex>
      <Box overflowY="auto">
        {offered.map((one, index) => (
          <Flex key={one.key} align="center" gap="10px" px="12px" h="29px" bg={index === at ? "sheet" : undefined} _hover={{ bg: "sheet" }}>
            <Bare aria-label={`Hear ${one.name}`} w="90px" flexShrink={0} onClick={() => pick(index)} cursor="pointer">
              {one.sound ? <MiniWave outline={one.sound.outline} height={20} /> : <Box color="glass">{one.design?.mix.members?.length} layers</Box>}
            </Bare>
            <Box flex={1} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              {one.name}
            </Box>
            <Box color="dim" fontSize="12px">
              {one.note}
            </Box>
            <Box fontFamily="mono" fontSize="12px" w="64px">
              {one.sound ? seconds(one.sound.seconds) : ""}
            </Box>
            <Do quiet onClick={() => add(one)} hint={`Add ${one.name}`}>
              Add
            </Do>
          </Flex>
        ))}
      </Box>
    </Flex>
  );
}
