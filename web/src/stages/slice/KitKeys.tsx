/** Slices under the keys, finished: a kit, or those that are chosen, played at once. */
import { Box, Flex } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { KeyGrid } from "../../listening/KeyGrid";
import { LETTERS, useStruck } from "../../listening/keyboard";
import { Pads } from "../../listening/pads";
import { player } from "../../listening/player";
import { velocityDb } from "../../mix/velocity";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { useKeys } from "../../ui/keys";
import { complain } from "../../ui/messages";

interface Props {
  sound: number;
  /** What is played, as it is called. */
  name: string;
  ids: readonly number[];
  /** What stands on the key of a slice. */
  called: (id: number) => string;
  onHit: (id: number) => void;
  onClose: () => void;
}

export function KitKeys({ sound, name, ids, called, onHit, onClose }: Props) {
  const library = useShared((state) => state.library);
  const pads = useRef(new Pads());
  const [keys, setKeys] = useState<{ id: number }[]>([]);
  const [ready, setReady] = useState(0);
  const [lit, setLit] = useState<Record<number, number>>({});
  const [last, setLast] = useState(0);
  const wanted = ids.slice(0, LETTERS.length);
  const asked = wanted.join();
  useEffect(() => {
    player.stop();
    const mine = pads.current;
    return () => void mine.close();
  }, []);
  useEffect(() => {
    let gone = false;
    const load = async () => {
      const body = { ids: asked.split(",").map(Number) };
      const found = await got(api.POST("/api/lib/{library}/plans/{id}/one-shots", { params: { path: { library, id: sound } }, body }));
      if (gone) return;
      setKeys(found);
      setReady(0);
      await pads.current.load(
        library,
        found.map((one) => one.node),
        setReady,
      );
    };
    void load().catch(complain);
    return () => {
      gone = true;
    };
  }, [library, sound, asked]);
  const hit = (key: number, velocity: number) => {
    if (!keys[key] || !pads.current.hit(key, velocityDb(velocity), 0, "")) return;
    setLit((before) => ({ ...before, [key]: (before[key] ?? 0) + 1 }));
    setLast(key);
    onHit(keys[key].id);
  };
  const midi = useStruck(hit);
  useKeys({ leave: onClose, play: () => pads.current.silence() });
  return (
    <Flex direction="column" flex={1} minH={0} gap="8px" p="12px" overflow="auto" role="region" aria-label="Slices on keys">
      <Flex align="center" gap="12px">
        <Box fontWeight={650}>{name}</Box>
        <Box color="dim" fontFamily="mono" fontSize="12px" data-testid="keys-ready">
          {ready < keys.length ? `loading ${ready} of ${keys.length}` : `${keys.length} keys hold a slice`}
          {ids.length > LETTERS.length && `, ${ids.length - LETTERS.length} more have no key`}
        </Box>
        <Box color="dim" fontSize="12px" flex={1}>
          {midi}
        </Box>
        <Do act="leave" onClick={onClose}>
          Back
        </Do>
      </Flex>
      <KeyGrid keys={keys.map((key) => ({ name: called(key.id) }))} lit={lit} chosen={last} onHit={hit} />
    </Flex>
  );
}
