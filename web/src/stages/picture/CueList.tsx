/** The cues of a scene in order of time: one list and the lanes are one selection. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { Bare, Do } from "../../ui/buttons";
import { useControl } from "../../ui/controls";
import { type Cue, codeOf, type Scene } from "./frames";

export type State = "open" | "answered" | "done";

export function stateOf(cue: Cue, scene: Scene): State {
  if (cue.done) return "done";
  return scene.mix?.members?.some((one) => cue.placed?.includes(one.id ?? "")) ? "answered" : "open";
}

const INK: Record<State, string> = { open: "coral", answered: "amber", done: "glass" };

export const inTime = (cues: readonly Cue[]) => [...cues].sort((one, other) => one.frame - other.frame);

interface Props {
  scene: Scene;
  chosen: string | null;
  onChoose: (cue: Cue) => void;
  onAdd: () => void;
  onFromWanted: () => void;
  onFromShots: (() => void) | null;
}

export function CueList({ scene, chosen, onChoose, onAdd, onFromWanted, onFromShots }: Props) {
  const [openOnly, setOpenOnly] = useState(false);
  const priorities = useControl("Cue", "priority")?.options ?? [];
  const all = inTime(scene.cues ?? []);
  const open = all.filter((cue) => stateOf(cue, scene) === "open");
  const shown = openOnly ? open : all;
  const list = useRef<HTMLDivElement>(null);
  useEffect(() => {
    list.current?.querySelector(`[data-cue="${chosen}"]`)?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  // in a film of less than a minute from a whole hour on, minutes say nothing
  const brief = codeOf(0, scene).slice(0, 6) === codeOf(scene.frames, scene).slice(0, 6);
  const code = (cue: Cue) => codeOf(cue.frame, scene).slice(brief ? 6 : 3);
  return (
    <Flex direction="column" flex={1} minH={0} bg="sheet">
      <Flex align="center" gap="8px" px="14px" h="36px" flexShrink={0} borderBottom="1px solid" borderColor="line">
        <chakra.h2 fontWeight={600}>Cues</chakra.h2>
        <Do quiet act="anchor" onClick={onAdd} hint="A cue at the playhead">
          Add
        </Do>
        <Do quiet onClick={onFromWanted} hint="A cue at the playhead for the next entry of the wanted list that has none">
          From the wanted list
        </Do>
        {onFromShots && (
          <Do quiet onClick={onFromShots} hint="A cue at every shot change that has none">
            From shots
          </Do>
        )}
        <Box flex={1} />
        <Do quiet on={openOnly} onClick={() => setOpenOnly(!openOnly)}>
          open {open.length}
        </Do>
      </Flex>
      <Box ref={list} role="listbox" aria-label="Cues" tabIndex={0} flex={1} minH={0} overflowY="auto">
        {shown.map((cue) => {
          const state = stateOf(cue, scene);
          const answers = (scene.mix?.members ?? []).filter((one) => cue.placed?.includes(one.id ?? ""));
          return (
            <Bare
              key={cue.id}
              data-cue={cue.id}
              role="option"
              aria-selected={cue.id === chosen}
              aria-label={`${cue.name || "Cue"} at ${codeOf(cue.frame, scene)}, ${state}`}
              display="grid"
              gridTemplateColumns={`${brief ? 44 : 64}px minmax(0, 1fr) 46px minmax(60px, 112px) 9px`}
              gap="10px"
              alignItems="center"
              w="100%"
              textAlign="left"
              px="14px"
              h="31px"
              borderBottom="1px solid"
              borderBottomColor="line"
              borderLeft="3px solid"
              borderLeftColor={cue.id === chosen ? "amber" : "transparent"}
              bg={cue.id === chosen ? "raised" : undefined}
              onClick={() => onChoose(cue)}
            >
              <Box fontFamily="mono" fontSize="12px" color="dim">
                {code(cue)}
              </Box>
              <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={cue.name}>
                {cue.name || "unnamed"}
              </Box>
              <Box color="dim">{priorities.find((one) => one.value === cue.priority)?.label}</Box>
              <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" color={state === "open" ? "coral" : "dim"}>
                {answers.length > 1 ? `${answers.length} sounds` : (answers[0]?.name ?? (state === "done" ? "done" : "not answered"))}
              </Box>
              <Box w="9px" h="9px" borderRadius="full" bg={INK[state]} title={state} />
            </Bare>
          );
        })}
        {!shown.length && (
          <Box color="dim" p="14px" maxW="420px">
            {openOnly
              ? "Every cue is answered."
              : "A cue is a moment that needs a sound. Play the film and press T at each, or take them from the wanted list."}
          </Box>
        )}
      </Box>
    </Flex>
  );
}
