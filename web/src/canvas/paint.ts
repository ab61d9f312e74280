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

/** How far a column of a lane reaches from its middle, up (negative) and down (px): its peaks, or the RMS inside of them. */
function reach(data: PeakData, column: number, lane: number, inner: boolean, height: number, gain: number, levelScale: boolean): [number, number] {
  const at = (column * data.channels + lane) * 3;
  const limit = height / 2;
  const of = (value: number) => {
    const share = (value / 32767) * gain;
    return Math.max(-limit, Math.min(limit, (levelScale ? levelHeight(share) : share) * limit * 0.94));
  };
  return inner ? [-of(data.values[at + 2]), of(data.values[at + 2])] : [-of(data.values[at + 1]), -of(data.values[at])];
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
  const { width, channels } = data;
  const lane = h / channels;
  for (let c = 0; c < channels; c++) {
    const middle = y + lane * (c + 0.5);
    for (const inner of [false, true]) {
      pen.fillStyle = inner ? clear : deep;
      pen.beginPath();
      for (let i = 0; i < width; i++) {
        const [top, bottom] = reach(data, i, c, inner, lane, gain, levelScale);
        pen.rect(x + (i * w) / width, middle + top - LINE / 2, Math.max(w / width, LINE), Math.max(bottom - top, LINE));
      }
      pen.fill();
    }
  }
}

/** Silence is drawn as a line so thick (px). */
const LINE = 0.7;

/** The outline of columns side by side, each so wide (px), from its top to its bottom (px): what is drawn as a shape of a document, not as a canvas. */
function outlineOf(count: number, wide: number, of: (column: number) => [number, number]): string {
  const x = (column: number) => Math.round(column * wide * 100) / 100;
  const there: string[] = [];
  const back: string[] = [];
  for (let i = 0; i < count; i++) {
    const [top, bottom] = of(i);
    there.push(`V${top.toFixed(1)}H${x(i + 1)}`);
    back.push(`V${Math.max(bottom, top + LINE).toFixed(1)}H${x(i)}`);
  }
  return count ? `M0 0${there.join("")}${back.reverse().join("")}Z` : "";
}

/** The shapes of a waveform of some size (px): peaks, and the RMS inside of them. */
export function waveShapes(data: PeakData, width: number, height: number, gain: number, levelScale: boolean): { peaks: string; inside: string } {
  const lane = height / data.channels;
  const shape = (inner: boolean) =>
    Array.from({ length: data.channels }, (_, c) => {
      const middle = lane * (c + 0.5);
      return outlineOf(data.width, width / data.width, (i) => {
        const [top, bottom] = reach(data, i, c, inner, lane, gain, levelScale);
        return [middle + top - LINE / 2, middle + bottom + LINE / 2];
      });
    }).join("");
  return { peaks: shape(false), inside: shape(true) };
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

/** The shape of the small waveform of a row of some height (px) from its base64 bytes (lows, then highs), and how many units it is wide. */
export function smallShape(outline: string, height: number): { shape: string; count: number } {
  const raw = atob(outline);
  const count = raw.length / 2;
  const signed = (i: number) => ((raw.charCodeAt(i) + 128) & 255) - 128;
  let most = 1;
  for (let i = 0; i < count * 2; i++) most = Math.max(most, Math.abs(signed(i)));
  // quiet sounds are drawn up to four times taller, so that their shape shows
  const scale = (height / 2 - 1) / Math.max(most, 32);
  const middle = height / 2;
  return { count, shape: outlineOf(count, 1, (i) => [middle - signed(count + i) * scale - LINE / 2, middle - signed(i) * scale + LINE / 2]) };
}
