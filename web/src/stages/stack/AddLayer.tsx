import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas, type SoundRow } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { player } from "../../listening/player";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
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
  const rows = found.data?.rows ?? [];
  const hear = async (row: SoundRow) => {
    const heard = await player.open({ sound: row.id }, library, row.name, { lufs: row.loudness });
    if (heard) await player.play(heard);
  };
  const pick = (index: number) => {
    setAt(index);
    if (rows[index]) void hear(rows[index]);
  };
  const step = (by: number) => pick(Math.max(0, Math.min(rows.length - 1, at + by)));
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
            } else if (event.key === "Enter" && rows.length) onAdd({ sound: rows[Math.max(0, at)].id });
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
        <Choose
          label="Add a design as a layer"
          maxW="170px"
          value=""
          options={[["", "Add a design …"], ...designs.filter((one) => one.id !== design).map((one) => [String(one.id), one.name] as const)]}
          onChange={(value) => value && onAdd({ design: Number(value) })}
        />
      </Flex>
      <Box overflowY="auto">
        {rows.map((row, index) => (
          <Flex key={row.id} align="center" gap="10px" px="12px" h="29px" bg={index === at ? "sheet" : undefined} _hover={{ bg: "sheet" }}>
            <Bare aria-label={`Hear ${row.name}`} w="90px" onClick={() => pick(index)} cursor="pointer">
              <MiniWave outline={row.outline} height="20px" />
            </Bare>
            <Box flex={1} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              {row.name}
            </Box>
            <Box color="dim" fontSize="12px">
              {row.category}
            </Box>
            <Box fontFamily="mono" fontSize="12px" w="64px">
              {seconds(row.seconds)}
            </Box>
            <Do quiet onClick={() => onAdd({ sound: row.id })} hint={`Add ${row.name}`}>
              Add
            </Do>
          </Flex>
        ))}
      </Box>
    </Flex>
  );
}
