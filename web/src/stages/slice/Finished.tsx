/** The chosen slice as its one-shot will be: its waveform against full scale, how long it is and how loud. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type Plan, type Schemas } from "../../api/client";
import { openWhole } from "../../listening/opening";
import { useShared } from "../../session/store";
import { usePicture, Wave } from "../../timeline/Wave";
import { level, seconds } from "../../ui/format";
import { useSettled } from "../../ui/useSettled";
import type { Piece } from "./usePlan";

const SETTLED_MS = 250;
/** Stretches its waveform is drawn of. */
const DRAWN = 480;

interface Props {
  sound: number;
  plan: Plan;
  piece: Piece | null;
  finished: (id: number) => Promise<Schemas["OneShotNode"] | undefined>;
}

export function Finished({ sound, plan, piece, finished }: Props) {
  const library = useShared((state) => state.library);
  // what it is made of: where the slice lies and how it is finished
  const made = useSettled(JSON.stringify([piece?.id, piece?.start_s, piece?.end_s, piece?.loop, plan.finish]), SETTLED_MS, true);
  const shot = useQuery({
    queryKey: ["finished-slice", library, sound, made],
    enabled: !!piece,
    placeholderData: (before) => before,
    queryFn: async () => {
      const one = piece && (await finished(piece.id));
      if (!one) return null;
      const opened = await openWhole(library, { node: one.node });
      return { opened, loud: await got(api.GET("/api/heard/{digest}/loudness", { params: { path: { digest: opened.digest } } })) };
    },
  });
  const found = piece ? shot.data : undefined;
  const picture = usePicture(found?.opened.digest, found?.opened.frames ?? 0, found?.opened.channels ?? 1, DRAWN);
  return (
    <Box as="figure" aria-label="The chosen slice, finished" aria-busy={shot.isFetching} m={0}>
      <Box position="relative" h="92px" bg="ground" borderRadius="6px" border="1px solid" borderColor="line" overflow="hidden">
        {found && <Wave data={picture.data} height={90} clear="glass" deep="glassDeep" gain={1} beside={1} />}
      </Box>
      <Box as="figcaption" color="dim" fontSize="12px" mt="4px" data-testid="finished">
        {!piece && "Choose a slice to see it finished."}
        {piece && shot.error?.message}
        {piece && found === null && "Nothing of this slice is louder than the level under which silence is trimmed."}
        {piece &&
          found &&
          [
            `Slice ${piece.no}, finished: ${seconds(found.opened.frames / found.opened.rate)}`,
            found.opened.layout,
            level(found.loud.sample_peak_dbfs, "dBFS"),
            level(found.loud.true_peak_dbtp, "dBTP"),
            level(found.loud.lufs, "LUFS"),
          ].join(", ")}
      </Box>
    </Box>
  );
}
