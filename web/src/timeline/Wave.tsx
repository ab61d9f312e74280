/** The waveform of one opened sound, as wide as it is placed. */
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { bytes } from "../api/client";
import { type PeakData, waveShapes } from "../canvas/paint";
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
  /** px; without it, it fills its box. */
  width?: number;
  height: number;
  clear: keyof Ink;
  deep: keyof Ink;
  /** Of what is heard: the clip's own. */
  gain: number;
  /** The largest magnitude among the lanes it is drawn beside, gains included. */
  beside: number;
}

/**
 * A shape, not a canvas: a scene has hundreds of clips, and every canvas would be a layer of its own.
 *
 * For the same reason it is drawn in the pixels of its clip: whatever is scaled or cut off is put together apart.
 */
export function Wave({ data, width, height, clear, deep, gain, beside }: Props) {
  const { byDb, inDb } = useHeights();
  const tall = inDb ? gain * 10 ** (byDb / 20) : gain * filling(beside, byDb);
  const colours = useInk();
  const across = width ?? data?.width ?? 1;
  const shapes = useMemo(() => data && waveShapes(data, across, height, tall, inDb), [data, across, height, tall, inDb]);
  if (!shapes) return null;
  const fills = width === undefined && { width: "100%", height: "100%", viewBox: `0 0 ${across} ${height}`, preserveAspectRatio: "none" };
  return (
    <svg width={across} height={height} {...fills} overflow="visible" style={{ position: "absolute", inset: 0 }} data-wave aria-hidden="true">
      <path d={shapes.peaks} fill={colours[deep]} />
      <path d={shapes.inside} fill={colours[clear]} />
    </svg>
  );
}
