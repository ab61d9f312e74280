/** The waveform of one opened sound, as wide as it is placed. */
import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { bytes } from "../api/client";
import { drawnToFit, type PeakData, waveform } from "../canvas/paint";
import { type Ink, useInk } from "../ui/theme";
import { filling, loudest, useHeights, useMagnitudes } from "./heights";

export function usePicture(digest: string | undefined, frames: number, channels: number, width: number) {
  return useQuery({
    queryKey: ["peaks", digest, 0, frames, width],
    enabled: !!digest && width > 8,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async ({ signal }): Promise<PeakData> => {
      const values = new Int16Array(await bytes(`/api/heard/${digest}/peaks?start=0&end=${frames}&width=${width}`, signal));
      const data = { width: values.length / channels / 3, channels, values };
      if (digest) useMagnitudes.setState({ [digest]: loudest(data) });
      return data;
    },
  });
}

interface Props {
  data: PeakData | undefined;
  clear: keyof Ink;
  deep: keyof Ink;
  /** Of what is heard: the clip's own. */
  gain: number;
  /** The largest magnitude among the lanes it is drawn beside, gains included. */
  beside: number;
}

export function Wave({ data, clear, deep, gain, beside }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { byDb, inDb } = useHeights();
  const tall = inDb ? gain * 10 ** (byDb / 20) : gain * filling(beside, byDb);
  const colours = useInk();
  useEffect(() => {
    if (!canvas.current) return;
    return drawnToFit(canvas.current, (pen, wide, high) => {
      if (data) waveform(pen, data, 0, 0, wide, high, colours[clear], colours[deep], tall, inDb);
    });
  }, [data, clear, deep, tall, inDb, colours]);
  return <chakra.canvas ref={canvas} position="absolute" inset={0} w="100%" h="100%" aria-hidden />;
}
