/** Kept versions of a design or a scene: named, with notes; heard at matched loudness, told apart in words, taken back. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { MiniWave } from "../canvas/MiniWave";
import { Blind } from "../listening/Blind";
import type { Heard } from "../listening/state";
import { Bare, Do } from "../ui/buttons";
import { Fold } from "../ui/Fold";
import { TextField } from "../ui/fields";
import { level, seconds } from "../ui/format";
import { Heading } from "../ui/frames";
import type { Comparing } from "./useComparing";
import type { Kept, Versioning } from "./useVersions";

interface Props<V extends Kept> {
  versioning: Versioning<V>;
  comparing: Comparing<V>;
  /** What is now: what the difference to a version is worked out with. */
  now: unknown;
  /** What sets a version apart from what is now, in words. */
  difference: (version: V) => Promise<string[]>;
  onKeep: () => void;
  /** Hear the chosen version, or what is now again. */
  onHear: () => void;
  onRestore: (version: V) => void;
  hearNow: () => Promise<Heard | null>;
  hear: (version: V) => Promise<Heard | null>;
  onSheet?: (version: V) => void;
}

export function Versions<V extends Kept>(props: Props<V>) {
  const { versioning, comparing, now, onKeep, onHear, onRestore, hearNow, hear, onSheet } = props;
  const { against, hearing, setAgainst, compared: chosen } = comparing;
  const [open, setOpen] = useState<number | null>(null);
  const onAgainst = (version: number | null) => {
    if (hearing) onHear();
    setAgainst(version);
  };
  const difference = useQuery({
    queryKey: ["difference", versioning.key, chosen?.id, now],
    enabled: !!chosen,
    queryFn: () => props.difference(chosen as V),
  });
  return (
    <Flex direction="column" gap="6px" role="region" aria-label="Versions">
      <Flex justify="space-between" align="center">
        <Heading>Versions</Heading>
        <Do act="version" onClick={onKeep}>
          Keep
        </Do>
      </Flex>
      {versioning.list.length === 0 && (
        <Box color="dim" fontSize="12px">
          A kept version can be compared with what you do next, and taken back.
        </Box>
      )}
      {versioning.list.map((one) => (
        <Box key={one.id} border="1px solid" borderColor={one.id === against ? "amber" : "line"} borderRadius="8px" bg="ground" overflow="hidden">
          <Bare
            display="flex"
            w="100%"
            alignItems="center"
            gap="8px"
            px="8px"
            h="34px"
            cursor="pointer"
            aria-pressed={one.id === against}
            onClick={() => onAgainst(one.id === against ? null : one.id)}
          >
            {one.outline !== undefined && (
              <Box w="58px" flexShrink={0}>
                {one.outline && <MiniWave outline={one.outline} height={22} />}
              </Box>
            )}
            <Box flex={1} textAlign="left" fontWeight={550} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              {one.name}
            </Box>
            <Box fontFamily="mono" fontSize="11px" color="dim" whiteSpace="nowrap">
              {one.lufs === undefined ? one.created.slice(5, 16).replace("T", " ") : `${level(one.lufs)} LUFS`}
            </Box>
          </Bare>
          {one.id === against && (
            <Flex direction="column" gap="6px" px="8px" pb="8px">
              <Box fontSize="12px" color="dim" data-testid="difference">
                {one.notes && <Box color="chalk">{one.notes}</Box>}
                {difference.data?.length === 0 ? "No difference to what is now." : `Since then: ${(difference.data ?? ["…"]).join("; ")}.`}
              </Box>
              <Flex gap="4px" wrap="wrap">
                <Do act="compare" on={hearing} onClick={onHear}>
                  {hearing ? "Hearing it" : "Hear it"}
                </Do>
                <Do onClick={() => onRestore(one)} hint="Take this version back; what is now can be undone to">
                  Restore
                </Do>
                {onSheet && (
                  <Do quiet onClick={() => onSheet(one)} hint="Put this version on the sheet of Ship">
                    To the sheet
                  </Do>
                )}
                <Fold label="Blind" hint="Whether you hear a difference between now and this version, without knowing which is which">
                  <Blind one={{ name: "now", hear: hearNow }} other={{ name: one.name, hear: () => hear(one) }} />
                </Fold>
                <Do quiet onClick={() => setOpen(open === one.id ? null : one.id)}>
                  Name, notes
                </Do>
              </Flex>
              {open === one.id && (
                <>
                  <TextField label="Name of the version" value={one.name} onCommit={(name) => void versioning.change(one.id, { name })} />
                  <TextField
                    label="Notes of the version"
                    placeholder="notes"
                    value={one.notes}
                    onCommit={(notes) => void versioning.change(one.id, { notes })}
                  />
                  <Flex justify="space-between" align="center" fontSize="11px" color="dim" fontFamily="mono">
                    {one.created.slice(0, 16).replace("T", " ")}
                    {one.seconds === undefined ? "" : `, ${seconds(one.seconds)}`}
                    <Do
                      quiet
                      onClick={() => {
                        onAgainst(null);
                        void versioning.putAway(one.id);
                      }}
                    >
                      Put into the trash
                    </Do>
                  </Flex>
                </>
              )}
            </Flex>
          )}
        </Box>
      ))}
    </Flex>
  );
}
