/** Waveform over spectrogram of one opened sound: zoom, play from there, mark a part, move flags. */
import { Box, chakra } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type PointerEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { bytes, type Opened } from "../api/client";
import { fitted, LOWEST_DB, levelHeight, type PeakData, rulerStep, sampleLine, spectrogramImage, waveform } from "../canvas/paint";
import { live, player, useListening } from "../listening/player";
import { clock } from "../ui/format";
import { type Ink, useInk } from "../ui/theme";

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

interface Props {
  opened: Opened | null;
  /** Height of the waveform and of the spectrogram in pixels; 0 leaves the latter out. */
  height: number;
  spectrum?: number;
  /** Marked part (s). */
  marked: [number, number] | null;
  onMark: (part: [number, number] | null) => void;
  onPlayFrom: (seconds: number) => void;
  anchor?: number | null;
  /** What kind of moment the anchor is, written on its flag. */
  anchorKind?: string;
  /** Markers found in the file (s), each with its label. */
  markers?: { at_s: number; label: string }[];
  /** Frequency axis of the spectrogram. */
  axis?: Axis;
  /** Channels that are not heard are drawn faint. */
  silent?: (lane: number) => boolean;
  onAnchor?: (seconds: number) => void;
  bands?: Band[];
  hints?: Hint[];
  onBand?: (id: number) => void;
  onEdge?: (id: number, edge: "start" | "end", seconds: number, done: boolean) => void;
  /** A threshold line (dBFS) that is dragged on the waveform. */
  threshold?: number;
  floor?: number;
  onThreshold?: (dbfs: number) => void;
  view?: [number, number];
  onView?: (view: [number, number]) => void;
  /** Key of the sound the strip plays, when its playhead belongs here; and the factor from its time to this one's. */
  follows?: (key: string) => boolean;
  label: string;
}

export type Axis = "log" | "linear" | "mel";

const RULER = 18;

/** Height 0 (top) to 1 of a frequency on a spectrogram's axis, as oskren/core/measure/peaks.py has it. */
function axisHeight(hz: number, axis: Axis, rate: number): number {
  const top = axis === "linear" ? rate / 2 : Math.min(20_000, rate / 2);
  if (axis === "linear") return 1 - hz / top;
  if (axis === "mel") return 1 - Math.log10(1 + hz / 700) / Math.log10(1 + top / 700);
  return Math.log(top / hz) / Math.log(top / 40);
}

const AXIS_MARKS: Record<Axis, number[]> = {
  log: [100, 300, 1000, 3000, 10_000],
  mel: [200, 500, 1000, 2000, 5000, 10_000],
  linear: [2000, 5000, 10_000, 15_000, 20_000, 30_000, 40_000],
};

type Placed<T> = T & { from: number; to: number };

function usePeaks(opened: Opened | null, view: [number, number], width: number) {
  const span = opened ? [Math.floor(view[0] * opened.rate), Math.ceil(view[1] * opened.rate)] : [0, 0];
  return useQuery({
    queryKey: ["peaks", opened?.key, span[0], span[1], width],
    enabled: !!opened && width > 10 && span[1] > span[0],
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }): Promise<Placed<PeakData>> => {
      const raw = await bytes(`/api/heard/${opened?.key}/peaks?start=${Math.max(0, span[0])}&end=${span[1]}&width=${width}`, signal);
      const values = new Int16Array(raw);
      const channels = opened?.channels ?? 1;
      return { width: values.length / channels / 3, channels, values, from: view[0], to: view[1] };
    },
  });
}

function useSpectrogram(opened: Opened | null, view: [number, number], width: number, height: number, axis: Axis) {
  const span = opened ? [Math.floor(view[0] * opened.rate), Math.ceil(view[1] * opened.rate)] : [0, 0];
  return useQuery({
    queryKey: ["spectrogram", opened?.key, span[0], span[1], width, height, axis],
    enabled: !!opened && width > 10 && height > 10 && span[1] > span[0],
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }): Promise<Placed<{ levels: Uint8Array; width: number; height: number }>> => {
      const address = `/api/heard/${opened?.key}/spectrogram?start=${Math.max(0, span[0])}&end=${span[1]}&width=${width}&height=${height}&axis=${axis}`;
      return { levels: new Uint8Array(await bytes(address, signal)), width, height, from: view[0], to: view[1] };
    },
  });
}

type Grip = { kind: "mark"; from: number } | { kind: "anchor" } | { kind: "threshold" } | { kind: "edge"; id: number; edge: "start" | "end" } | null;

export function WaveView(props: Props) {
  const {
    opened,
    height,
    spectrum = 0,
    marked,
    onMark,
    onPlayFrom,
    anchor,
    anchorKind,
    markers,
    axis = "log",
    silent,
    onAnchor,
    bands,
    hints,
    onBand,
    onEdge,
    threshold,
    floor,
    onThreshold,
    label,
  } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const total = opened ? opened.frames / opened.rate : 1;
  const [own, setOwn] = useState<[number, number]>([0, total]);
  const view = props.view ?? own;
  const setView = props.onView ?? setOwn;
  const grip = useRef<Grip>(null);
  const moved = useRef(false);
  const [grabbed, setGrabbed] = useState<{ anchor?: number; threshold?: number; edge?: { id: number; edge: "start" | "end"; at: number } }>({});

  useEffect(() => {
    if (!props.view) setOwn([0, total]);
  }, [total, props.view]);

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setWidth(Math.round(element.clientWidth)));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);

  const colours = useInk();
  const columns = Math.min(2048, width);
  const peaks = usePeaks(opened, view, columns);
  const levels = useSpectrogram(opened, view, Math.min(columns, 900), spectrum ? Math.min(spectrum, 160) : 0, axis);
  const picture = useMemo(() => {
    if (!levels.data || levels.data.levels.length !== levels.data.width * levels.data.height) return null;
    const { width: w, height: h } = levels.data;
    const image = document.createElement("canvas");
    image.width = w;
    image.height = h;
    image.getContext("2d")?.putImageData(spectrogramImage(levels.data.levels, w, h, colours), 0, 0);
    return { image, from: levels.data.from, to: levels.data.to };
  }, [levels.data, colours]);

  const toX = useCallback((seconds: number) => ((seconds - view[0]) / (view[1] - view[0])) * width, [view, width]);
  const toSeconds = useCallback((x: number) => view[0] + (x / Math.max(1, width)) * (view[1] - view[0]), [view, width]);
  const lanes = opened?.channels ?? 1;
  const dbY = useCallback(
    (dbfs: number, sign: number) => RULER + height / 2 / lanes - sign * levelHeight(10 ** (dbfs / 20)) * (height / 2 / lanes) * 0.94,
    [height, lanes],
  );

  useEffect(() => {
    const element = canvas.current;
    const pen = element && fitted(element);
    if (!pen || !width) return;
    pen.fillStyle = colours.ground;
    pen.fillRect(0, 0, width, RULER + height + spectrum);
    for (const [i, band] of (bands ?? []).entries()) {
      const edge = grabbed.edge?.id === band.id ? grabbed.edge : null;
      const x = toX(edge?.edge === "start" ? edge.at : band.start);
      const w = toX(edge?.edge === "end" ? edge.at : band.end) - x;
      if (x > width || x + w < 0) continue;
      pen.fillStyle = band.colour ? colours[band.colour] : band.chosen ? colours.glassDeep : i % 2 ? colours.raised : colours.sheet;
      pen.globalAlpha = band.colour ? (band.chosen ? 0.34 : 0.2) : band.chosen ? 0.5 : 1;
      pen.fillRect(x, RULER, w, height);
      pen.globalAlpha = 1;
    }
    if (marked) {
      pen.fillStyle = colours.amberSoft;
      pen.fillRect(toX(marked[0]), RULER, toX(marked[1]) - toX(marked[0]), height + spectrum);
    }
    const data = peaks.data;
    if (data && opened) {
      const framesShown = (view[1] - view[0]) * opened.rate;
      // while a new view is on its way the last one is drawn where it belongs: zooming never jumps
      const left = toX(data.from);
      const across = toX(data.to) - left;
      if (framesShown <= columns * 1.5 && threshold === undefined) sampleLine(pen, data, left, RULER, across, height, colours.glass);
      else waveform(pen, data, left, RULER, across, height, colours.glass, colours.glassDeep, 1, threshold !== undefined);
      if (silent && data.channels > 1)
        for (let c = 0; c < data.channels; c++)
          if (silent(c)) {
            pen.fillStyle = colours.ground;
            pen.globalAlpha = 0.7;
            pen.fillRect(0, RULER + (height / data.channels) * c, width, height / data.channels);
            pen.globalAlpha = 1;
          }
    }
    if (picture) {
      pen.imageSmoothingEnabled = true;
      pen.drawImage(picture.image, toX(picture.from), RULER + height, toX(picture.to) - toX(picture.from), spectrum);
      pen.fillStyle = colours.dim;
      pen.font = "10px 'JetBrains Mono Variable', monospace";
      const sampleRate = opened?.rate ?? 48_000;
      let lowest = Number.POSITIVE_INFINITY;
      for (const hz of [...AXIS_MARKS[axis]].filter((one) => one < sampleRate / 2)) {
        const y = RULER + height + axisHeight(hz, axis, sampleRate) * spectrum;
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
      // the legend: which colour is which level
      const legend = [0, -36, -72, -108];
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
      for (const db of legend) pen.fillText(`${db}`, width - 12, RULER + height + 10 + (db / -108) * (tall - 4));
      pen.fillText("dBFS", width - 36, RULER + height + 10);
      pen.textAlign = "left";
    }
    pen.font = "10px 'JetBrains Mono Variable', monospace";
    const step = rulerStep(view[1] - view[0], width);
    for (let t = Math.ceil(view[0] / step) * step; t <= view[1]; t += step) {
      pen.fillStyle = colours.line;
      pen.fillRect(toX(t), 12, 1, 6);
      pen.fillStyle = colours.dim;
      pen.fillText(total >= 60 ? clock(t, step < 1 ? 2 : 0) : `${t.toFixed(step < 0.01 ? 4 : step < 1 ? 2 : 0)} s`, toX(t) + 4, 11);
    }
    for (const band of bands ?? []) {
      const edge = grabbed.edge?.id === band.id ? grabbed.edge : null;
      const x = toX(edge?.edge === "start" ? edge.at : band.start);
      const x2 = toX(edge?.edge === "end" ? edge.at : band.end);
      if (x > width || x2 < 0) continue;
      if (band.dropped) {
        pen.save();
        pen.beginPath();
        pen.rect(x, RULER, x2 - x, height);
        pen.clip();
        pen.strokeStyle = colours.dim;
        pen.globalAlpha = 0.5;
        for (let d = x - height; d < x2; d += 8) {
          pen.beginPath();
          pen.moveTo(d, RULER + height);
          pen.lineTo(d + height, RULER);
          pen.stroke();
        }
        pen.restore();
      }
      const edgeColour = band.chosen ? colours.amber : band.colour ? colours[band.colour] : colours.dim;
      for (const at of [x, x2]) {
        pen.fillStyle = edgeColour;
        pen.fillRect(at - 0.5, RULER, band.chosen ? 2 : 1, height);
        pen.beginPath();
        pen.arc(at, RULER + height - 6, band.chosen ? 5 : 3, 0, 7);
        pen.fill();
      }
      if (x2 - x > 18) {
        pen.fillStyle = edgeColour;
        pen.save();
        pen.beginPath();
        pen.rect(x, RULER, x2 - x, height);
        pen.clip();
        pen.fillText(band.label, x + 6, RULER + 14);
        pen.restore();
      }
    }
    for (const hint of hints ?? []) {
      const [x, x2] = [toX(hint.start), toX(hint.end)];
      if (x > width || x2 < 0) continue;
      pen.fillStyle = colours[hint.colour];
      pen.fillRect(x, RULER, Math.max(2, x2 - x), 3);
      if (x2 - x > 40 && hint.label) pen.fillText(hint.label, Math.max(2, x + 3), RULER + height - 4);
    }
    if (threshold !== undefined) {
      const value = grabbed.threshold ?? threshold;
      pen.setLineDash([5, 4]);
      pen.strokeStyle = colours.amber;
      for (const sign of [1, -1]) {
        pen.beginPath();
        pen.moveTo(0, dbY(value, sign));
        pen.lineTo(width, dbY(value, sign));
        pen.stroke();
      }
      pen.setLineDash([]);
      pen.fillStyle = colours.amber;
      pen.beginPath();
      pen.roundRect(width - 92, dbY(value, 1) - 21, 84, 18, 5);
      pen.fill();
      pen.fillStyle = colours.onAmber;
      pen.fillText(`${value.toFixed(1)} dBFS`, width - 84, dbY(value, 1) - 8);
      if (floor !== undefined) {
        pen.fillStyle = colours.coral;
        pen.fillRect(0, dbY(floor, 1), width, 0.8);
        pen.fillText(`floor ${floor.toFixed(0)} dBFS`, 6, dbY(floor, 1) - 4);
      }
    }
    for (const marker of markers ?? []) {
      const x = toX(marker.at_s);
      if (x < 0 || x > width) continue;
      pen.fillStyle = colours.sky;
      pen.fillRect(x, RULER, 1, height);
      pen.fillRect(x, RULER, 5, 5);
      if (marker.label) pen.fillText(marker.label.slice(0, 24), x + 8, RULER + 8);
    }
    if (anchor !== undefined && anchor !== null) {
      const x = toX(grabbed.anchor ?? anchor);
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
      if (anchorKind) pen.fillText(anchorKind, x + 9, RULER + 10);
    }
  }, [
    anchorKind,
    markers,
    axis,
    silent,
    peaks.data,
    picture,
    width,
    height,
    spectrum,
    bands,
    hints,
    marked,
    anchor,
    threshold,
    floor,
    view,
    toX,
    opened,
    total,
    columns,
    grabbed,
    dbY,
    colours,
  ]);

  const follows = props.follows;
  useEffect(() => {
    const draw = () => {
      const element = overlay.current;
      const pen = element && fitted(element);
      const heard = useListening.getState().heard;
      if (!pen || !heard || !opened || !(follows ? follows(heard.opened.key) : heard.opened.key === opened.key)) return;
      const x = toX(live.position / heard.opened.rate);
      pen.fillStyle = colours.chalk;
      pen.fillRect(x, RULER - 4, 1.4, height + spectrum + 4);
    };
    draw();
    return player.onTick(draw);
  }, [opened, toX, height, spectrum, follows, colours]);
  const heardKey = useListening((state) => state.heard?.opened.key);
  useEffect(() => {
    if (!heardKey && overlay.current) fitted(overlay.current);
  }, [heardKey]);

  const grab = (event: PointerEvent): Grip => {
    const box = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left, event.clientY - box.top];
    if (anchor !== undefined && anchor !== null && onAnchor && Math.abs(x - toX(anchor)) < 8 && y < RULER + 6) return { kind: "anchor" };
    if (onEdge && bands)
      for (const band of bands)
        for (const edge of ["start", "end"] as const)
          if (Math.abs(x - toX(band[edge])) < 5 && y > RULER + height - 26) return { kind: "edge", id: band.id, edge };
    if (onEdge && bands)
      for (const band of bands.filter((one) => one.chosen))
        for (const edge of ["start", "end"] as const) if (Math.abs(x - toX(band[edge])) < 5 && y > RULER) return { kind: "edge", id: band.id, edge };
    if (
      threshold !== undefined &&
      onThreshold &&
      (Math.abs(y - dbY(threshold, 1)) < 5 || Math.abs(y - dbY(threshold, -1)) < 5 || (x > width - 92 && Math.abs(y - dbY(threshold, 1) + 12) < 10))
    )
      return { kind: "threshold" };
    return { kind: "mark", from: toSeconds(x) };
  };
  const down = (event: PointerEvent) => {
    if (event.button || !opened) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    grip.current = grab(event);
    moved.current = false;
  };
  const place = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { at: Math.min(total, Math.max(0, toSeconds(event.clientX - box.left))), y: event.clientY - box.top };
  };
  const move = (event: PointerEvent) => {
    const held = grip.current;
    if (!held) return;
    const { at, y } = place(event);
    if (held.kind === "mark") {
      if (!moved.current && Math.abs(toX(at) - toX(held.from)) < 4) return;
      moved.current = true;
      onMark(at < held.from ? [at, held.from] : [held.from, at]);
    } else if (held.kind === "anchor") setGrabbed({ anchor: at });
    else if (held.kind === "edge") setGrabbed({ edge: { id: held.id, edge: held.edge, at } });
    else {
      const share = Math.abs(RULER + height / 2 / lanes - y) / ((height / 2 / lanes) * 0.94);
      setGrabbed({ threshold: Math.min(-1, (Math.min(1, share) - 1) * LOWEST_DB) });
    }
    moved.current = true;
  };
  const up = (event: PointerEvent) => {
    const held = grip.current;
    grip.current = null;
    if (!held) return;
    const { at } = place(event);
    if (held.kind === "mark" && !moved.current) {
      const band = bands?.find((one) => at >= one.start && at <= one.end);
      if (band && onBand) onBand(band.id);
      onPlayFrom(at);
    } else if (held.kind === "anchor" && grabbed.anchor !== undefined) onAnchor?.(grabbed.anchor);
    else if (held.kind === "edge" && grabbed.edge) onEdge?.(held.id, held.edge, grabbed.edge.at, true);
    else if (held.kind === "threshold" && grabbed.threshold !== undefined) onThreshold?.(grabbed.threshold);
    setGrabbed({});
  };
  const zoom = useRef<(event: WheelEvent) => void>(() => {});
  zoom.current = (event: WheelEvent) => {
    if (!opened || !width) return;
    event.preventDefault();
    const span = view[1] - view[0];
    if (Math.abs(event.deltaX) > Math.abs(event.deltaY) || event.shiftKey) {
      const by = ((event.deltaX || event.deltaY) / width) * span;
      const start = Math.min(total - span, Math.max(0, view[0] + by));
      setView([start, start + span]);
      return;
    }
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const centre = toSeconds(event.clientX - box.left);
    const next = Math.min(total, Math.max(32 / opened.rate, span * 1.0022 ** event.deltaY));
    const start = Math.min(total - next, Math.max(0, centre - ((centre - view[0]) / span) * next));
    setView([start, start + next]);
  };
  useEffect(() => {
    const element = overlay.current;
    const handle = (event: WheelEvent) => zoom.current(event);
    element?.addEventListener("wheel", handle, { passive: false });
    return () => element?.removeEventListener("wheel", handle);
  }, []);

  return (
    <Box position="relative" h={`${RULER + height + spectrum}px`} w="100%" flexShrink={0}>
      <chakra.canvas ref={canvas} position="absolute" inset={0} w="100%" h="100%" />
      <chakra.canvas
        ref={overlay}
        role="img"
        aria-label={label}
        aria-busy={!opened}
        position="absolute"
        inset={0}
        w="100%"
        h="100%"
        cursor="crosshair"
        touchAction="none"
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onDoubleClick={() => setView([0, total])}
      />
    </Box>
  );
}
