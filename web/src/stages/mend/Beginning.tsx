/** Mend before anything is open: review reels, what is mended, and raw takes that wait. */
import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, got, type SoundRow } from "../../api/client";
import { useSend } from "../../between/send";
import { SoundLine } from "../../canvas/SoundLine";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Bar, Empty, Heading, Title } from "../../ui/frames";

/** A take is something recorded at least this long (s); shorter originals are sounds already. Own rule. */
const TAKE_S = 20;
const SHOWN = 12;

function useSounds(q: string) {
  const library = useShared((state) => state.library);
  return useQuery({
    queryKey: ["sounds", library, "mend", q],
    queryFn: () =>
      got(
        api.GET("/api/lib/{library}/sounds", {
          params: { path: { library }, query: { q, limit: SHOWN, sort: "created", descending: true, offset: 0 } },
        }),
      ),
  }).data;
}

function Sounds({ title, rows, total, onOpen }: { title: string; rows: SoundRow[]; total: number; onOpen: (row: SoundRow) => void }) {
  if (!rows.length) return null;
  return (
    <Box as="section" aria-label={title}>
      <Heading>{total > rows.length ? `${title}, the newest ${rows.length} of ${total}` : title}</Heading>
      {rows.map((row) => (
        <Bare
          key={row.id}
          display="flex"
          w="100%"
          alignItems="center"
          gap="12px"
          py="5px"
          borderBottom="1px solid"
          borderColor="line"
          borderRadius={0}
          onClick={() => onOpen(row)}
        >
          <SoundLine sound={row} wave={["120px", 28]} />
        </Bare>
      ))}
    </Box>
  );
}

export function Beginning() {
  const library = useShared((state) => state.library);
  const send = useSend();
  const go = useNavigate();
  const reels = useQuery({
    queryKey: ["reels", library],
    queryFn: () => got(api.GET("/api/lib/{library}/reels", { params: { path: { library } } })),
  }).data;
  const mended = useSounds("where mended is yes");
  const waiting = useSounds(`where kind is original and length at least ${TAKE_S} s and mended is no and used is no`);
  const nothing = reels && mended && waiting && !reels.length && !mended.total && !waiting.total;
  const open = (row: SoundRow) => send.mend(row.id);
  const gather = (
    <Do main onClick={() => go("/gather")}>
      Choose a sound in Gather
    </Do>
  );
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>Mend</Title>
        <Box flex={1} />
        {!nothing && gather}
      </Bar>
      {nothing ? (
        <Empty action={gather}>
          Sounds are cleaned here, by steps that can be taken back at any time; the original is never changed. Choose a sound in Gather and press E,
          or choose takes and press / to review them in a row.
        </Empty>
      ) : (
        <SimpleGrid minChildWidth="360px" columnGap="34px" rowGap="20px" p="18px" overflowY="auto" alignContent="start" tabIndex={0}>
          {!!reels?.length && (
            <Box as="section" aria-label="Review reels">
              <Heading>Review reels</Heading>
              {reels.map((one) => (
                <Bare
                  key={one.id}
                  display="flex"
                  w="100%"
                  alignItems="center"
                  gap="12px"
                  minH="38px"
                  borderBottom="1px solid"
                  borderColor="line"
                  borderRadius={0}
                  onClick={() => useShared.setState({ reel: one.id })}
                >
                  <Box flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                    {one.name}
                  </Box>
                  <Box fontFamily="mono" fontSize="12px" color="dim" whiteSpace="nowrap">
                    {one.takes} {one.takes === 1 ? "take" : "takes"}, {one.marks} {one.marks === 1 ? "mark" : "marks"}, {one.kept} kept
                  </Box>
                </Bare>
              ))}
            </Box>
          )}
          <Sounds title="Mended" rows={mended?.rows ?? []} total={mended?.total ?? 0} onOpen={open} />
          <Sounds title="Raw takes that wait" rows={waiting?.rows ?? []} total={waiting?.total ?? 0} onOpen={open} />
        </SimpleGrid>
      )}
    </Flex>
  );
}
