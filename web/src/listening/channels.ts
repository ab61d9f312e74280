/** Which channels are heard, and how they come to left and right. */
import type { Opened } from "../api/client";
import { useListening } from "./state";

/** Whether a channel is heard: soloed ones alone, else all that are not muted. */
export function sounds(lane: number): boolean {
  const { muted, soloed } = useListening.getState();
  return soloed.length ? soloed.includes(lane) : !muted.includes(lane);
}

/** How headphones are asked for, and the channels that are not heard; null where they make no difference. */
export function onEars(channels: number): string | null {
  if (!useListening.getState().headphones || channels <= 2) return null;
  const silent = [...Array(channels).keys()].filter((lane) => !sounds(lane));
  return `&ears=true${silent.map((lane) => `&silent=${lane}`).join("")}`;
}

/** Left and right that come interleaved. */
export function parted(raw: Float32Array): [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>] {
  const sides = [0, 1].map((side) => new Float32Array(raw.length / 2).map((_, i) => raw[2 * i + side]));
  return [sides[0], sides[1]];
}

/** Left and right of interleaved samples, by what each channel gives to either; a single soloed channel is heard in the middle. */
export function stereo(raw: Float32Array, channels: number, fold: Opened["fold"]): [Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>] {
  const frames = Math.floor(raw.length / channels);
  const left = new Float32Array(frames);
  const right = new Float32Array(frames);
  const alone = useListening.getState().soloed.length === 1;
  for (let c = 0; c < channels; c++) {
    if (!sounds(c)) continue;
    const [l, r] = alone ? [Math.SQRT1_2, Math.SQRT1_2] : fold[c];
    for (let i = 0; i < frames; i++) {
      const x = raw[i * channels + c];
      left[i] += x * l;
      right[i] += x * r;
    }
  }
  return [left, right];
}
