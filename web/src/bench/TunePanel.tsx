/** The pitch of tonal layers: what each one's fundamental is, how far the others lie from it, and bringing it to one of them or to a note. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Member, type Mix, slowly } from "../api/client";
import { useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { TextField } from "../ui/fields";
import { Fact, Facts, Heading } from "../ui/frames";
import { complain, tell } from "../ui/messages";

export function TunePanel({ mix, member, onEdit }: { mix: Mix; member: Member; onEdit: (values: Partial<Member>) => void }) {
  const library = useShared((state) => state.library);
  const [note, setNote] = useState("");
  const tones = useQuery({
    queryKey: ["tones", library, mix.members.map((one) => ({ ...one, gain_db: 0, pan: 0, at_s: 0 }))],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      slowly(signal, () => got(api.POST("/api/lib/{library}/stack/tones", { params: { path: { library } }, body: mix, signal }))),
  });
  const own = tones.data?.find((one) => one.id === member.id);
  const bring = async (to: { to_layer?: string; to_note?: string }) => {
    try {
      const tuned = await got(
        api.POST("/api/lib/{library}/stack/tune", {
          params: { path: { library } },
          body: { mix, id: member.id, to_layer: "", to_note: "", exact: false, ...to },
        }),
      );
      onEdit({ pitch_st: tuned.pitch_st });
      tell(`${member.name} is pitched by ${tuned.pitch_st.toFixed(2)} st now.`);
    } catch (error) {
      complain(error);
    }
  };
  const interval = (hz: number) => {
    const st = 12 * Math.log2(hz / (own?.hz ?? hz));
    return `${st >= 0 ? "+" : ""}${st.toFixed(2)} st`;
  };
  const cents = (value: number) => `${value >= 0 ? "+" : ""}${value.toFixed(0)} cents`;
  return (
    <Flex direction="column" gap="7px">
      <Facts>
        <Fact name="Fundamental">
          {own?.hz ? `${own.note} ${cents(own.cents)}, ${own.hz.toFixed(1)} Hz` : tones.isFetching ? "…" : "no clear pitch"}
        </Fact>
      </Facts>
      {own?.hz ? (
        <>
          <TextField
            label="Tune to a note"
            placeholder="A2, Bb3, 110 Hz; Enter tunes"
            value={note}
            onCommit={(text) => {
              setNote(text);
              if (text.trim()) void bring({ to_note: text }).then(() => setNote(""));
            }}
          />
          <Heading>Other tonal layers</Heading>
          {(tones.data ?? [])
            .filter((one) => one.id !== member.id && one.hz)
            .map((one) => (
              <Flex key={one.id} align="center" gap="6px">
                <Box flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                  {mix.members.find((layer) => layer.id === one.id)?.name}
                </Box>
                <Box fontFamily="mono" fontSize="11px" color="dim" whiteSpace="nowrap">
                  {one.note} {interval(one.hz ?? 1)}
                </Box>
                <Do
                  quiet
                  onClick={() => void bring({ to_layer: one.id })}
                  hint="Pitch this layer onto the other one, or onto the nearest of its octaves"
                >
                  Tune
                </Do>
              </Flex>
            ))}
        </>
      ) : (
        <Box color="dim" fontSize="12px">
          Only a layer whose pitch is clear can be tuned.
        </Box>
      )}
    </Flex>
  );
}
