import { Box, CloseButton, Dialog, Flex, Link, Portal } from "@chakra-ui/react";
import { useState } from "react";
import { useLocation } from "react-router";
import { Input } from "../ui/fields";
import { Heading } from "../ui/frames";
import { type Act, KEYS, SECTIONS, shown, useKeys } from "../ui/keys";

/** All keys, the present stage's first; they mean the same in every stage. */
export function KeyList({ onClose }: { onClose: () => void }) {
  useKeys({ leave: onClose }, { over: true });
  const [wanted, setWanted] = useState("");
  const stage = useLocation().pathname.slice(1);
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (act: Act) => words.every((word) => `${KEYS[act][1]} ${KEYS[act][0]} ${shown(act)}`.toLowerCase().includes(word));
  const sections = Object.entries(SECTIONS)
    .map(([title, acts]): [string, Act[]] => [title, acts.filter(fits)])
    .filter(([, acts]) => acts.length)
    .sort(([one], [other]) => Number(other.toLowerCase() === stage) - Number(one.toLowerCase() === stage));
  return (
    <Dialog.Root open onOpenChange={(now) => !now.open && onClose()} size="xl" placement="center" scrollBehavior="inside" motionPreset="none">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content>
            <Dialog.Header>
              <Dialog.Title>Keys</Dialog.Title>
              <Input
                label="Search the keys"
                placeholder="What should it do, or which key"
                w="280px"
                value={wanted}
                onChange={(event) => setWanted(event.target.value)}
              />
              <Link href="/guide" target="_blank" color="glass">
                The guide: the job with pictures
              </Link>
              <Dialog.CloseTrigger asChild position="static">
                <CloseButton size="xs" aria-label="Close" />
              </Dialog.CloseTrigger>
            </Dialog.Header>
            <Dialog.Body tabIndex={0} columnCount={3} columnGap="28px">
              {sections.map(([title, acts]) => (
                <Box key={title} mb="12px" breakInside="avoid-column" role="group" aria-label={title}>
                  <Heading>{title}</Heading>
                  {acts.map((act) => (
                    <Flex key={act} justify="space-between" gap="12px" py="1px">
                      <Box color={title.toLowerCase() === stage ? "chalk" : "dim"}>{KEYS[act][1]}</Box>
                      <Box fontFamily="mono" fontSize="12px" whiteSpace="nowrap">
                        {shown(act)}
                      </Box>
                    </Flex>
                  ))}
                </Box>
              ))}
              {!sections.length && <Box color="dim">No key does that; the find-anything field knows more commands.</Box>}
            </Dialog.Body>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
