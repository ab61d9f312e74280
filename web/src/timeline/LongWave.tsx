/** A long sound as two waveforms: all of it, with what is shown below marked in it, over the part that is worked on. */
import { Flex } from "@chakra-ui/react";
import type { ComponentProps } from "react";
import type { Opened } from "../api/client";
import { RULER } from "../canvas/wave";
import { useRoom } from "../ui/useRoom";
import { WaveView } from "./WaveView";

type Wave = ComponentProps<typeof WaveView>;

interface Props {
  opened: Opened | null;
  follows?: Wave["follows"];
  /** Length of all of it (s). */
  seconds: number;
  /** The part that is shown below (s), and the shortest one that a drag over the whole may choose. */
  zoom: [number, number];
  onZoom: (part: [number, number]) => void;
  leastS: number;
  /** Height of both together before the window is known, and that of the whole (px). */
  height: number;
  wholeHeight: number;
  whole: Pick<Wave, "label" | "bands" | "onPlayFrom">;
  part: Omit<Wave, "opened" | "follows" | "height" | "view" | "onView">;
}

/** The part is drawn no lower than this (px). */
const LEAST_PART = 60;

export function LongWave({ opened, follows, seconds, zoom, onZoom, leastS, height, wholeHeight, whole, part }: Props) {
  const [area, room] = useRoom<HTMLDivElement>(height);
  return (
    <Flex ref={area} direction="column" flex={1} minH={0} overflow="hidden">
      <WaveView
        opened={opened}
        follows={follows}
        height={wholeHeight}
        marked={zoom}
        onMark={(chosen) => chosen && chosen[1] - chosen[0] > leastS && onZoom(chosen)}
        view={[0, seconds]}
        onView={() => {}}
        {...whole}
      />
      <WaveView
        opened={opened}
        follows={follows}
        height={Math.max(LEAST_PART, room - wholeHeight - 2 * RULER)}
        view={zoom}
        onView={onZoom}
        {...part}
      />
    </Flex>
  );
}
