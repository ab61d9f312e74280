/** A range filled with tonal sounds that make up a chord, swelling to a frame. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Do } from "../../ui/buttons";
import { Controls, useModels } from "../../ui/controls";
import { Fold } from "../../ui/Fold";
import { CodeField } from "./CodeField";
import type { Cue, Scene } from "./frames";

type Bed = Schemas["TonalBed"];

/** What a tonal bed is made with. */
export interface Tonal {
  sounds: number[];
  bed: Bed;
  swell: number | null;
}

interface Props {
  scene: Scene;
  cue: Cue;
  /** Those to choose from: what is found. */
  sounds: number[];
  onLay: (tonal: Tonal) => Promise<void>;
}

export function TonalBed({ scene, cue, sounds, onLay }: Props) {
  const defaults = useModels()?.TonalBed?.defaults as Bed | undefined;
  const [own, setOwn] = useState<Partial<Bed>>({});
  const [laying, setLaying] = useState(false);
  const [swell, setSwell] = useState<number | null>(cue.until ?? null);
  if (!defaults || cue.until == null) return null;
  const bed = { ...defaults, ...own };
  // a range that was made shorter takes its swell along
  const top = swell === null ? null : Math.min(swell, cue.until);
  return (
    <Fold label="Tonal bed" hint="Those of the sounds found that have a pitch, brought into one chord" over>
      <Flex direction="column" gap="5px">
        <Flex align="center" gap="8px">
          <Box color="dim" flex={1} aria-hidden>
            Root
          </Box>
          <Controls<Bed> model="TonalBed" names={["root"]} value={bed} onChange={(values) => setOwn({ ...own, ...values })} folded />
        </Flex>
        <Controls<Bed> model="TonalBed" names={["chord", "voices"]} value={bed} onChange={(values) => setOwn({ ...own, ...values })} />
        <CodeField
          label="Swells to"
          frame={top}
          scene={scene}
          none="even"
          beyond={1}
          onFrame={(frame) => setSwell(frame === null ? null : Math.max(cue.frame + 1, Math.min(cue.until ?? frame, frame)))}
        />
        {top !== null && <Controls<Bed> model="TonalBed" names={["swell_db"]} value={bed} onChange={(values) => setOwn({ ...own, ...values })} />}
        <Do
          main
          disabled={!sounds.length || laying}
          onClick={() => {
            setLaying(true);
            void onLay({ sounds, bed, swell: top }).finally(() => setLaying(false));
          }}
        >
          {laying ? "Listening to their pitch …" : "Lay it"}
        </Do>
      </Flex>
    </Fold>
  );
}
