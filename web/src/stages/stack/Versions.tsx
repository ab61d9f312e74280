/** Kept versions of a design: named, with notes and a picture; heard at matched loudness, told apart in words, taken back. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Mix, type Node, type Schemas } from "../../api/client";
import { addToSheet } from "../../between/sheet";
import { MiniWave } from "../../canvas/MiniWave";
import { putAway } from "../../documents/named";
import { Blind } from "../../listening/Blind";
import { openToHear } from "../../listening/opening";
import { queries, useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Fold } from "../../ui/Fold";
import { TextField } from "../../ui/fields";
import { level, seconds } from "../../ui/format";
import { Heading } from "../../ui/frames";
import { complain, tell } from "../../ui/messages";

export type Version = Schemas["VersionView"];

export function useVersions(design: number) {
  const library = useShared((state) => state.library);
  const versions = useQuery({
    queryKey: ["versions", library, design],
    queryFn: () => got(api.GET("/api/lib/{library}/designs/{id}/versions", { params: { path: { library, id: design } } })),
  });
  const fresh = () => queries.invalidateQueries({ queryKey: ["versions", library, design] });
  return {
    list: versions.data ?? [],
    keep: async (mix: Mix) => {
      try {
        const made = await got(
          api.POST("/api/lib/{library}/designs/{id}/versions", {
            params: { path: { library, id: design } },
            body: { name: "", notes: "", mix },
          }),
        );
        await fresh();
        tell(`${made.name} is kept; ' compares it with what is now.`);
      } catch (error) {
        complain(error);
      }
    },
    change: (version: number, change: { name?: string; notes?: string }) =>
      got(
        api.PATCH("/api/lib/{library}/versions/{id}", {
          params: { path: { library, id: version } },
          body: { name: null, notes: null, ...change },
        }),
      ).then(fresh, complain),
    putAway: (version: number) => putAway("version", version),
  };
}

interface Props {
  mix: Mix;
  versions: ReturnType<typeof useVersions>;
  /** The version that is heard or compared with. */
  against: number | null;
  hearing: boolean;
  onAgainst: (version: number | null) => void;
  onHear: () => void;
  onRestore: (version: Version) => void;
}

export function Versions({ mix, versions, against, hearing, onAgainst, onHear, onRestore }: Props) {
  const library = useShared((state) => state.library);
  const [open, setOpen] = useState<number | null>(null);
  const chosen = versions.list.find((one) => one.id === against) ?? null;
  const difference = useQuery({
    queryKey: ["difference", library, chosen?.id, mix],
    enabled: !!chosen,
    queryFn: () =>
      got(
        api.POST("/api/lib/{library}/stack/difference", {
          params: { path: { library } },
          body: { before: (chosen as Version).mix as Mix, after: mix },
        }),
      ),
  });
  return (
    <Flex direction="column" gap="6px" role="region" aria-label="Versions">
      <Flex justify="space-between" align="center">
        <Heading>Versions</Heading>
        <Do act="version" onClick={() => void versions.keep(mix)}>
          Keep
        </Do>
      </Flex>
      {versions.list.length === 0 && (
        <Box color="dim" fontSize="12px">
          A kept version can be compared with what you do next, and taken back.
        </Box>
      )}
      {versions.list.map((one) => (
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
            <Box w="58px" flexShrink={0}>
              {one.outline && <MiniWave outline={one.outline} height="22px" />}
            </Box>
            <Box flex={1} textAlign="left" fontWeight={550} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              {one.name}
            </Box>
            <Box fontFamily="mono" fontSize="11px" color="dim" whiteSpace="nowrap">
              {level(one.lufs)} LUFS
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
                <Do quiet onClick={() => void addToSheet("versions", [one.id])} hint="Put this version on the sheet of Ship">
                  To the sheet
                </Do>
                <Fold label="Blind" hint="Whether you hear a difference between now and this version, without knowing which is which">
                  <Blind
                    one={{ name: "now", hear: () => openToHear({ node: mix as Node }, library, "now") }}
                    other={{ name: one.name, hear: () => openToHear({ node: one.mix as Node }, library, one.name, { lufs: one.lufs }) }}
                  />
                </Fold>
                <Do quiet onClick={() => setOpen(open === one.id ? null : one.id)}>
                  Name, notes
                </Do>
              </Flex>
              {open === one.id && (
                <>
                  <TextField label="Name of the version" value={one.name} onCommit={(name) => void versions.change(one.id, { name })} />
                  <TextField
                    label="Notes of the version"
                    placeholder="notes"
                    value={one.notes}
                    onCommit={(notes) => void versions.change(one.id, { notes })}
                  />
                  <Flex justify="space-between" align="center" fontSize="11px" color="dim" fontFamily="mono">
                    {one.created.slice(0, 16).replace("T", " ")}, {seconds(one.seconds)}
                    <Do
                      quiet
                      onClick={() => {
                        onAgainst(null);
                        void versions.putAway(one.id);
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
