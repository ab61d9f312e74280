/** Drawing one opened sound over time, free of React: waveform, spectrogram, and what lies on them. */
import type { Ink } from "../ui/theme";
import { AXIS_MARKS, type Axis, axisHeight } from "./axis";
import { drawFade, type Fade } from "./fades";
import { levelHeight, type PeakData, sampleLine, spectrogramImage, waveform } from "./paint";
import { marks, type Unit } from "./ruler";
import { drawThreshold } from "./threshold";

export interface Band {
  id: number;
  start: number;
  end: number;
  label: string;
  chosen: boolean;
  dropped: boolean;
  /** Colour of the theme it is drawn in; without one neighbours alternate. */
  colour?: keyof Ink;
}

/** A suggestion: a thin bar above the waveform. */
export interface Hint {
  start: number;
  end: number;
  colour: keyof Ink;
  label: string;
}

/** Height of the ruler on top (px). */
export const RULER = 18;

/** What is being dragged, where it is now. */
export interface Grabbed {
  anchor?: number;
  over?: number;
  edge?: { id: number; edge: "start" | "end"; at: number };
  fade?: Fade;
}

/** Everything a wave view shows. Times are seconds of the sound; sizes px. */
export interface Scene {
  width: number;
  height: number;
  /** Height of the spectrogram; 0 leaves it out. */
  spectrum: number;
  view: [number, number];
  total: number;
  rate: number;
  /** What its ruler shows. */
  unit: Unit;
  colours: Ink;
  peaks?: PeakData & { from: number; to: number };
  /** The factor the waveform is drawn taller by, and whether it is drawn in dB. */
  gain: number;
  inDb: boolean;
  picture: { image: HTMLCanvasElement; from: number; to: number } | null;
  axis: Axis;
  lanes: number;
  silent?: (lane: number) => boolean;
  bands: Band[];
  hints: Hint[];
  markers: { at_s: number; label: string }[];
  marked: [number, number] | null;
  anchor?: number | null;
  anchorKind?: string;
  /** A threshold, in dB over the floor. */
  over?: number;
  /** The floor (dBFS): one value, or some from the begin of the sound to its end. */
  floors?: number[];
  /** What is faded at its ends, and how. */
  faded?: [number, number];
  fade?: Fade;
  grabbed: Grabbed;
}

type Pen = CanvasRenderingContext2D;
const FONT = "10px 'JetBrains Mono Variable', monospace";
/** A waveform is drawn sample by sample from so few frames a pixel on. */
const FRAMES_A_PIXEL = 1.5;

export const toX = (scene: Pick<Scene, "view" | "width">, seconds: number) =>
  ((seconds - scene.view[0]) / (scene.view[1] - scene.view[0])) * scene.width;

/** Height of a level on the waveform, above (1) or below (-1) its middle. */
export const levelY = (scene: Pick<Scene, "height" | "lanes">, dbfs: number, sign: number) =>
  RULER + scene.height / 2 / scene.lanes - sign * levelHeight(10 ** (dbfs / 20)) * (scene.height / 2 / scene.lanes) * 0.94;

/** Where a band lies, as it is dragged; null when it is out of sight. */
function placed(scene: Scene, band: Band): [number, number] | null {
  const edge = scene.grabbed.edge?.id === band.id ? scene.grabbed.edge : null;
  const from = toX(scene, edge?.edge === "start" ? edge.at : band.start);
  const to = toX(scene, edge?.edge === "end" ? edge.at : band.end);
  return from > scene.width || to < 0 ? null : [from, to];
}

function behind(pen: Pen, scene: Scene) {
  const { colours, width, height, spectrum, marked } = scene;
  pen.fillStyle = colours.ground;
  pen.fillRect(0, 0, width, RULER + height + spectrum);
  for (const [i, band] of scene.bands.entries()) {
    const at = placed(scene, band);
    if (!at) continue;
    pen.fillStyle = band.colour ? colours[band.colour] : band.chosen ? colours.glassDeep : i % 2 ? colours.raised : colours.sheet;
    pen.globalAlpha = band.colour ? (band.chosen ? 0.34 : 0.2) : band.chosen ? 0.5 : 1;
    pen.fillRect(at[0], RULER, at[1] - at[0], height);
    pen.globalAlpha = 1;
  }
  if (marked) {
    pen.fillStyle = colours.amberSoft;
    pen.fillRect(toX(scene, marked[0]), RULER, toX(scene, marked[1]) - toX(scene, marked[0]), height + spectrum);
  }
}

/** Drawn in dB: by choice, and where a threshold is dragged on it. */
const levels = (scene: Scene) => scene.inDb || scene.over !== undefined;

/** By how much the waveform is drawn taller than it is, so that nobody takes it for louder. */
function said(pen: Pen, scene: Scene) {
  const db = 20 * Math.log10(scene.gain);
  const text = levels(scene) ? (scene.over === undefined ? "dB" : "") : Math.abs(db) < 0.5 ? "" : `drawn ${db > 0 ? "+" : ""}${db.toFixed(0)} dB`;
  if (!text) return;
  pen.font = FONT;
  onPatch(pen, scene, text, scene.width - 8 - pen.measureText(text).width, RULER + scene.height - 6, scene.colours.dim);
}

function sound(pen: Pen, scene: Scene) {
  const { colours, width, height, peaks: data, over, silent } = scene;
  if (!data) return;
  const framesShown = (scene.view[1] - scene.view[0]) * scene.rate;
  const left = toX(scene, data.from);
  const across = toX(scene, data.to) - left;
  if (framesShown <= Math.min(2048, width) * FRAMES_A_PIXEL && over === undefined)
    sampleLine(pen, data, left, RULER, across, height, colours.glass, scene.gain);
  else waveform(pen, data, left, RULER, across, height, colours.glass, colours.glassDeep, scene.gain, levels(scene));
  said(pen, scene);
  if (!silent || data.channels < 2) return;
  for (let c = 0; c < data.channels; c++)
    if (silent(c)) {
      pen.fillStyle = colours.ground;
      pen.globalAlpha = 0.7;
      pen.fillRect(0, RULER + (height / data.channels) * c, width, height / data.channels);
      pen.globalAlpha = 1;
    }
}

function frequencies(pen: Pen, scene: Scene) {
  const { colours, height, spectrum, rate, axis } = scene;
  let lowest = Number.POSITIVE_INFINITY;
  for (const hz of AXIS_MARKS[axis].filter((one) => one < rate / 2)) {
    const y = RULER + height + axisHeight(hz, axis, rate) * spectrum;
    if (y > lowest - 13 || y < RULER + height + 6 || y > RULER + height + spectrum - 4) continue;
    lowest = y;
    const said = hz >= 1000 ? `${hz / 1000} kHz` : `${hz} Hz`;
    pen.fillStyle = colours.ground;
    pen.globalAlpha = 0.65;
    pen.fillRect(2, y - 6, pen.measureText(said).width + 4, 12);
    pen.globalAlpha = 1;
    pen.fillStyle = colours.chalk;
    pen.fillText(said, 4, y + 3);
  }
}

/** Which colour is which level. */
function legend(pen: Pen, scene: Scene) {
  const { colours, width, height, spectrum } = scene;
  const bar = spectrogramImage(
    Uint8Array.from({ length: 64 }, (_, i) => 255 - Math.round((i / 63) * 255)),
    1,
    64,
    colours,
  );
  const strip = document.createElement("canvas");
  strip.width = 1;
  strip.height = 64;
  strip.getContext("2d")?.putImageData(bar, 0, 0);
  const tall = spectrum - 12;
  pen.drawImage(strip, width - 8, RULER + height + 6, 5, tall);
  pen.textAlign = "right";
  for (const db of [0, -36, -72, -108]) pen.fillText(`${db}`, width - 12, RULER + height + 10 + (db / -108) * (tall - 4));
  pen.fillText("dBFS", width - 36, RULER + height + 10);
  pen.textAlign = "left";
}

function spectrogram(pen: Pen, scene: Scene) {
  const { picture, height, spectrum } = scene;
  if (!picture) return;
  pen.imageSmoothingEnabled = true;
  pen.drawImage(picture.image, toX(scene, picture.from), RULER + height, toX(scene, picture.to) - toX(scene, picture.from), spectrum);
  pen.font = FONT;
  frequencies(pen, scene);
  legend(pen, scene);
}

function ruler(pen: Pen, scene: Scene) {
  const { colours, view, total } = scene;
  pen.font = FONT;
  for (const { at, text } of marks(view, scene.width, scene.unit, scene.rate, total)) {
    pen.fillStyle = colours.line;
    pen.fillRect(toX(scene, at), 12, 1, 6);
    pen.fillStyle = colours.dim;
    pen.fillText(text, toX(scene, at) + 4, 11);
  }
}

/** Keep what follows within a stretch of the waveform. */
function within(pen: Pen, scene: Scene, [from, to]: [number, number], draw: () => void) {
  pen.save();
  pen.beginPath();
  pen.rect(from, RULER, to - from, scene.height);
  pen.clip();
  draw();
  pen.restore();
}

function crossedOut(pen: Pen, scene: Scene, at: [number, number]) {
  within(pen, scene, at, () => {
    pen.strokeStyle = scene.colours.dim;
    pen.globalAlpha = 0.5;
    for (let d = at[0] - scene.height; d < at[1]; d += 8) {
      pen.beginPath();
      pen.moveTo(d, RULER + scene.height);
      pen.lineTo(d + scene.height, RULER);
      pen.stroke();
    }
  });
}

function edges(pen: Pen, scene: Scene) {
  const { colours, height } = scene;
  for (const band of scene.bands) {
    const at = placed(scene, band);
    if (!at) continue;
    if (band.dropped) crossedOut(pen, scene, at);
    pen.fillStyle = band.chosen ? colours.amber : band.colour ? colours[band.colour] : colours.dim;
    for (const x of at) {
      pen.fillRect(x - 0.5, RULER, band.chosen ? 2 : 1, height);
      pen.beginPath();
      pen.arc(x, RULER + height - 6, band.chosen ? 5 : 3, 0, 7);
      pen.fill();
    }
    if (at[1] - at[0] > 18) within(pen, scene, at, () => pen.fillText(band.label, at[0] + 6, RULER + 14));
  }
}

function hinted(pen: Pen, scene: Scene) {
  for (const hint of scene.hints) {
    const [x, x2] = [toX(scene, hint.start), toX(scene, hint.end)];
    if (x > scene.width || x2 < 0) continue;
    pen.fillStyle = scene.colours[hint.colour];
    pen.fillRect(x, RULER, Math.max(2, x2 - x), 3);
    if (x2 - x > 40 && hint.label) onPatch(pen, scene, hint.label, Math.max(4, x + 5), RULER + scene.height - 4, scene.colours[hint.colour]);
  }
}

/** A label that can be read whatever it lies on. */
function onPatch(pen: Pen, scene: Scene, text: string, x: number, y: number, colour: string) {
  pen.fillStyle = scene.colours.ground;
  pen.globalAlpha = 0.82;
  pen.fillRect(x - 3, y - 10, pen.measureText(text).width + 6, 13);
  pen.globalAlpha = 1;
  pen.fillStyle = colour;
  pen.fillText(text, x, y);
}

function thresholds(pen: Pen, scene: Scene) {
  const over = scene.grabbed.over ?? scene.over;
  if (over === undefined || !scene.floors?.length) return;
  drawThreshold(pen, scene, over, {
    y: (dbfs, sign) => levelY(scene, dbfs, sign),
    patch: (text, x, y, colour) => onPatch(pen, scene, text, x, y, colour),
  });
}

/** Where the ends of what is faded lie, and the inner ends of both fades (px); null when nothing can be. */
export function fadeEdges(scene: Pick<Scene, "view" | "width" | "faded" | "fade">) {
  const { faded, fade } = scene;
  if (!faded || !fade) return null;
  const whole = faded[1] - faded[0];
  return {
    from: toX(scene, faded[0]),
    to: toX(scene, faded[1]),
    rise: toX(scene, faded[0] + Math.min(whole, fade.in_s)),
    fall: toX(scene, faded[1] - Math.min(whole, fade.out_s)),
  };
}

function fades(pen: Pen, scene: Scene) {
  const fade = scene.grabbed.fade ?? scene.fade;
  const at = fadeEdges({ ...scene, fade });
  if (at && fade) drawFade(pen, { ...at, top: RULER, height: scene.height }, fade, { dark: scene.colours.ground, line: scene.colours.chalk });
}

function flags(pen: Pen, scene: Scene) {
  const { colours, height } = scene;
  for (const marker of scene.markers) {
    const x = toX(scene, marker.at_s);
    if (x < 0 || x > scene.width) continue;
    pen.fillStyle = colours.sky;
    pen.fillRect(x, RULER, 1, height);
    pen.fillRect(x, RULER, 5, 5);
    if (marker.label) onPatch(pen, scene, marker.label.slice(0, 24), x + 8, RULER + 10, colours.sky);
  }
  if (scene.anchor === undefined || scene.anchor === null) return;
  const x = toX(scene, scene.grabbed.anchor ?? scene.anchor);
  pen.fillStyle = colours.amber;
  pen.setLineDash([2, 3]);
  pen.strokeStyle = colours.amber;
  pen.beginPath();
  pen.moveTo(x, RULER);
  pen.lineTo(x, RULER + height);
  pen.stroke();
  pen.setLineDash([]);
  pen.beginPath();
  pen.moveTo(x - 6, 8);
  pen.lineTo(x + 6, 8);
  pen.lineTo(x, RULER);
  pen.fill();
  if (scene.anchorKind) onPatch(pen, scene, scene.anchorKind, x + 9, RULER + 11, colours.amber);
}

/** Draw all of it, from what lies behind to what is grabbed. */
export function drawWave(pen: Pen, scene: Scene) {
  for (const draw of [behind, sound, spectrogram, ruler, edges, fades, hinted, thresholds, flags]) draw(pen, scene);
}
