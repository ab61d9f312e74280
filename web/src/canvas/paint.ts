/** Drawing, free of React: waveforms, spectrograms, rulers. */
import type { Ink } from "../ui/theme";

export type PeakData = { width: number; channels: number; values: Int16Array };

/** A canvas fitted to its box (CSS pixels) at the screen's density; null while it has no size. */
export function fitted(
  canvas: HTMLCanvasElement,
  box: { width: number; height: number } = { width: canvas.clientWidth, height: canvas.clientHeight },
): CanvasRenderingContext2D | null {
  const density = window.devicePixelRatio || 1;
  const width = Math.round(box.width * density);
  const height = Math.round(box.height * density);
  if (!width || !height) return null;
  if (canvas.width !== width || canvas.height !== height) {
    canvas.width = width;
    canvas.height = height;
  }
  const pen = canvas.getContext("2d");
  if (!pen) return null;
  pen.setTransform(density, 0, 0, density, 0, 0);
  pen.clearRect(0, 0, width, height);
  return pen;
}

/**
 * Draw a canvas now and whenever its box changes; what is returned ends that.
 *
 * The size comes with the layout of the frame: asking each of a hundred canvases for it would lay the page out a hundred times.
 */
export function drawnToFit(canvas: HTMLCanvasElement, draw: (pen: CanvasRenderingContext2D, width: number, height: number) => void): () => void {
  const watch = new ResizeObserver(([{ contentRect }]) => {
    const pen = fitted(canvas, contentRect);
    if (pen) draw(pen, contentRect.width, contentRect.height);
  });
  watch.observe(canvas);
  return () => watch.disconnect();
}

export const LOWEST_DB = 72;

/** Height -1..1 of a sample on a level scale: 0 at -72 dBFS, 1 at full scale, so that thresholds can be seen and dragged. */
export function levelHeight(value: number): number {
  const db = 20 * Math.log10(Math.max(Math.abs(value), 1e-9));
  return Math.sign(value) * Math.min(1, Math.max(0, 1 + db / LOWEST_DB));
}

/** Peaks in the deep colour with the RMS inside in the clear one, one lane a channel. */
export function waveform(
  pen: CanvasRenderingContext2D,
  data: PeakData,
  x: number,
  y: number,
  w: number,
  h: number,
  clear: string,
  deep: string,
  gain = 1,
  levelScale = false,
) {
  const { width, channels, values } = data;
  const lane = h / channels;
  for (let c = 0; c < channels; c++) {
    const middle = y + lane * (c + 0.5);
    const full = (lane / 2) * 0.94;
    const scale = (value: number) => (levelScale ? levelHeight((value / 32767) * gain) * full : (value / 32767) * full * gain);
    for (const [from, to, colour] of [
      [0, 1, deep],
      [2, 2, clear],
    ] as const) {
      pen.fillStyle = colour;
      pen.beginPath();
      const limit = lane / 2;
      for (let i = 0; i < width; i++) {
        const at = (i * channels + c) * 3;
        const low = from === 2 ? -values[at + 2] : values[at + from];
        const high = values[at + to];
        const top = Math.max(-limit, Math.min(limit, -scale(high)));
        const bottom = Math.max(-limit, Math.min(limit, -scale(low)));
        pen.rect(x + (i * w) / width, middle + top - 0.35, Math.max(w / width, 0.7), Math.max(bottom - top, 0.7));
      }
      pen.fill();
    }
  }
}

/** Close up: the samples as a line through points. */
export function sampleLine(pen: CanvasRenderingContext2D, data: PeakData, x: number, y: number, w: number, h: number, colour: string, gain = 1) {
  const { width, channels, values } = data;
  const lane = h / channels;
  pen.strokeStyle = colour;
  pen.fillStyle = colour;
  pen.lineWidth = 1.3;
  for (let c = 0; c < channels; c++) {
    pen.beginPath();
    for (let i = 0; i < width; i++) {
      const px = x + ((i + 0.5) * w) / width;
      const tall = Math.min(1, Math.max(-1, (values[(i * channels + c) * 3 + 1] / 32767) * gain));
      const py = y + lane * (c + 0.5) - tall * (lane / 2) * 0.94;
      if (i) pen.lineTo(px, py);
      else pen.moveTo(px, py);
      if (w / width > 6) pen.rect(px - 1.5, py - 1.5, 3, 3);
    }
    pen.stroke();
  }
}

function mixed(a: string, b: string, share: number): [number, number, number] {
  const of = (colour: string) => [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16));
  const [from, to] = [of(a), of(b)];
  return [0, 1, 2].map((i) => from[i] + (to[i] - from[i]) * share) as [number, number, number];
}

/** Levels 0..255 as a picture from the ground over glass to amber. */
export function spectrogramImage(levels: Uint8Array, width: number, height: number, colours: Ink): ImageData {
  const stops = [colours.ground, colours.sheet, colours.glassDeep, colours.glass, colours.amber, colours.chalk];
  const table = Array.from({ length: 256 }, (_, level) => {
    const x = (Math.max(0, level - 20) / 235) ** 1.15 * (stops.length - 1);
    const i = Math.min(stops.length - 2, Math.floor(x));
    return mixed(stops[i], stops[i + 1], x - i);
  });
  const image = new ImageData(width, height);
  for (let i = 0; i < width * height; i++) {
    const [r, g, b] = table[levels[i]];
    image.data[i * 4] = r;
    image.data[i * 4 + 1] = g;
    image.data[i * 4 + 2] = b;
    image.data[i * 4 + 3] = 255;
  }
  return image;
}

/** The small waveform of a row from its base64 bytes: lows, then highs. */
export function smallWave(pen: CanvasRenderingContext2D, outline: string, w: number, h: number, colour: string) {
  if (!outline) return;
  const raw = atob(outline);
  const count = raw.length / 2;
  const signed = (i: number) => ((raw.charCodeAt(i) + 128) & 255) - 128;
  pen.fillStyle = colour;
  let most = 1;
  for (let i = 0; i < count * 2; i++) most = Math.max(most, Math.abs(signed(i)));
  // quiet sounds are drawn up to four times taller, so that their shape shows
  const scale = (h / 2 - 1) / Math.max(most, 32);
  for (let i = 0; i < count; i++) {
    const top = -signed(count + i) * scale;
    const bottom = -signed(i) * scale;
    pen.fillRect((i * w) / count, h / 2 + top - 0.4, Math.max(w / count - 0.15, 0.6), Math.max(bottom - top, 0.8));
  }
}
