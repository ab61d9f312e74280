/** What a wave view draws of an opened sound, asked for at the width it has: while a new view is on its way the last one is drawn where it belongs. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { bytes, type Opened } from "../api/client";
import type { Axis } from "../canvas/axis";
import { type PeakData, spectrogramImage } from "../canvas/paint";
import type { Ink } from "../ui/theme";

/** Data with the stretch (s) it was made of. */
export type Placed<T> = T & { from: number; to: number };

export function usePeaks(opened: Opened | null, view: [number, number], width: number) {
  const span = opened ? [Math.floor(view[0] * opened.rate), Math.ceil(view[1] * opened.rate)] : [0, 0];
  return useQuery({
    queryKey: ["peaks", opened?.digest, span[0], span[1], width],
    enabled: !!opened && !opened.estimated && width > 10 && span[1] > span[0],
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }): Promise<Placed<PeakData>> => {
      const raw = await bytes(`/api/heard/${opened?.digest}/peaks?start=${Math.max(0, span[0])}&end=${span[1]}&width=${width}`, signal);
      const values = new Int16Array(raw);
      const channels = opened?.channels ?? 1;
      return { width: values.length / channels / 3, channels, values, from: view[0], to: view[1] };
    },
  });
}

function useLevels(opened: Opened | null, view: [number, number], width: number, height: number, axis: Axis) {
  const span = opened ? [Math.floor(view[0] * opened.rate), Math.ceil(view[1] * opened.rate)] : [0, 0];
  return useQuery({
    queryKey: ["spectrogram", opened?.digest, span[0], span[1], width, height, axis],
    enabled: !!opened && !opened.estimated && width > 10 && height > 10 && span[1] > span[0],
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }): Promise<Placed<{ levels: Uint8Array; width: number; height: number }>> => {
      const address = `/api/heard/${opened?.digest}/spectrogram?start=${Math.max(0, span[0])}&end=${span[1]}&width=${width}&height=${height}&axis=${axis}`;
      return { levels: new Uint8Array(await bytes(address, signal)), width, height, from: view[0], to: view[1] };
    },
  });
}

export type Spectrogram = Placed<{ image: HTMLCanvasElement }>;

/** The spectrogram as an image, in the colours of the look. */
export function useSpectrogram(
  opened: Opened | null,
  view: [number, number],
  width: number,
  height: number,
  axis: Axis,
  colours: Ink,
): Spectrogram | null {
  const { data } = useLevels(opened, view, width, height, axis);
  return useMemo(() => {
    if (!data || data.levels.length !== data.width * data.height) return null;
    const image = document.createElement("canvas");
    image.width = data.width;
    image.height = data.height;
    image.getContext("2d")?.putImageData(spectrogramImage(data.levels, data.width, data.height, colours), 0, 0);
    return { image, from: data.from, to: data.to };
  }, [data, colours]);
}
