import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api, got, type Schemas, type SoundRow } from "../../api/client";
import { live } from "../../listening/player";
import { useListening } from "../../listening/state";
import { queries, useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { complain, tell } from "../../ui/messages";
import { stale, undo } from "./describing";
import { useGather } from "./sounds";

export type Excerpt = Schemas["Cut"];

interface Marking {
  /** The sound a part is being marked on, and the part so far (s). */
  sound: number;
  start: number;
  end: number | null;
}

/** A part that is being marked by keys while the sound plays; it does not make it loop. */
export const useMarking = create<{ marking: Marking | null }>(() => ({ marking: null }));

/** Where the playhead is on a sound; null when another one is heard. */
function playhead(sound: number): number | null {
  const { heard } = useListening.getState();
  return heard?.sound === sound ? live.position / heard.opened.rate : null;
}

export function startPart(sound: number) {
  const at = playhead(sound);
  if (at !== null) useMarking.setState({ marking: { sound, start: at, end: null } });
}

export function endPart(sound: number) {
  const at = playhead(sound);
  const { marking } = useMarking.getState();
  if (at === null) return;
  if (marking?.sound !== sound || at <= marking.start) useMarking.setState({ marking: { sound, start: 0, end: at } });
  else useMarking.setState({ marking: { ...marking, end: at } });
}

export function useExcerpts(sound: number | undefined) {
  const library = useShared((state) => state.library);
  return useQuery({
    queryKey: ["excerpts", library, sound],
    enabled: sound !== undefined,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}/excerpts", { params: { path: { library, id: sound ?? 0 } } })),
  });
}

/** Keep the part marked by keys (up to the playhead while it is open), else the part marked by hand, as an excerpt. */
export async function keepPart(row: SoundRow): Promise<void> {
  const { library } = useShared.getState();
  const { marking } = useMarking.getState();
  const { heard, loop } = useListening.getState();
  const own = marking?.sound === row.id ? marking : null;
  const end = own ? (own.end ?? playhead(row.id)) : null;
  const part: [number, number] | null = own && end !== null ? [own.start, end] : loop && heard?.sound === row.id ? loop : null;
  if (!part) {
    tell("No part is marked: set its start with [ and its end with ] while the sound plays, or drag over the waveform.");
    return;
  }
  try {
    if (heard?.sound === row.id && heard.through?.chain.length) {
      const kinds = await got(api.GET("/api/steps"));
      const moves = heard.through.chain.some((step) => step.on && !kinds.find((kind) => kind.key === step.kind)?.keeps_time);
      if (moves) {
        tell(
          `${heard.through.name} moves what is heard in time, so this part lies elsewhere in the sound itself: listen to it as it is and mark it again.`,
          true,
        );
        return;
      }
    }
    useMarking.setState({ marking: null });
    const body = { parts: [{ start_s: part[0], end_s: part[1], name: "" }], tags: "" };
    const made = await got(api.POST("/api/lib/{library}/sounds/{id}/excerpts", { params: { path: { library, id: row.id } }, body }));
    void queries.invalidateQueries({ queryKey: ["excerpts"] });
    stale();
    tell(`${made.names.join(", ")} is kept, ${part[0].toFixed(2)} to ${part[1].toFixed(2)} s.`, false, undo);
  } catch (error) {
    complain(error);
  }
}

/** The excerpts of the selected sound, and the part that is being marked. */
export function Excerpts({ row, onHear }: { row: SoundRow; onHear: (excerpt: Excerpt) => void }) {
  const excerpts = useExcerpts(row.id);
  const marking = useMarking((state) => state.marking);
  const here = marking?.sound === row.id ? marking : null;
  const list = excerpts.data ?? [];
  if (!here && !list.length) return null;
  return (
    <Flex
      align="center"
      gap="6px"
      px="8px"
      h="28px"
      fontSize="12px"
      bg="sheet"
      borderTop="1px solid"
      borderColor="line"
      overflowX="auto"
      role="region"
      aria-label="Excerpts"
    >
      {here && (
        <>
          <Box color="amber" fontFamily="mono" whiteSpace="nowrap" data-testid="marking">
            from {here.start.toFixed(2)} s{here.end === null ? " …" : ` to ${here.end.toFixed(2)} s`}
          </Box>
          <Do quiet act="keep" onClick={() => void keepPart(row)}>
            Keep
          </Do>
          <Do quiet onClick={() => useMarking.setState({ marking: null })} hint="Forget this part">
            ×
          </Do>
        </>
      )}
      {list.length > 0 && (
        <Do
          quiet
          onClick={() => useGather.setState({ chosen: list.map((one) => one.id), all: false })}
          hint="Choose them all: name, tag and file them at once"
        >
          {list.length} {list.length === 1 ? "excerpt" : "excerpts"}: choose all
        </Do>
      )}
      {list.map((one) => (
        <Bare
          key={one.id}
          data-excerpt={one.id}
          title={`Hear ${one.name}, ${one.start_s.toFixed(2)} to ${one.end_s.toFixed(2)} s`}
          onClick={() => onHear(one)}
          bg="raised"
          borderRadius="5px"
          px="7px"
          whiteSpace="nowrap"
          cursor="pointer"
        >
          {one.name}
        </Bare>
      ))}
    </Flex>
  );
}
