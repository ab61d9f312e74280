/** Waveform over spectrogram of one opened sound: zoom, play from there, mark a part, move flags. */

import { Box, chakra } from "@chakra-ui/react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Opened } from "../api/client";
import type { Axis } from "../canvas/axis";
import type { Fade } from "../canvas/fades";
import { fitted } from "../canvas/paint";
import { type Band, drawWave, type Hint, RULER, type Scene, toX } from "../canvas/wave";
import { live, player } from "../listening/player";
import { useListening } from "../listening/state";
import { useUnit } from "../listening/useUnit";
import { useInk } from "../ui/theme";
import { useLate } from "../ui/useLate";
import { filling, loudest, useHeights } from "./heights";
import { type Gripped, useGrips } from "./useGrips";
import { usePeaks, useSpectrogram } from "./useWave";
import { useWheelZoom } from "./useWheel";

/** A lower one has no room for words (px). */
const LOWEST_SAID = 80;

/** What is waited for. */
const SAID = {
  opened: "It is being made ready to be heard …",
  drawn: "The waveform is being drawn …",
  estimated: "All of it is being measured; the waveform is drawn then …",
};

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
  /** What is faded at its ends (s), and how; its handles are there when it can be moved. */
  faded?: [number, number];
  fade?: Fade;
  onFade?: (fade: Fade) => void;
  bands?: Band[];
  hints?: Hint[];
  onBand?: (id: number) => void;
  onEdge?: (id: number, edge: "start" | "end", seconds: number, done: boolean) => void;
  /** A threshold line (dB over the floor) that is dragged on the waveform, and the floor (dBFS) from begin to end. */
  over?: number;
  floors?: number[];
  onOver?: (db: number) => void;
  view?: [number, number];
  onView?: (view: [number, number]) => void;
  /** Key of the sound the strip plays, when its playhead belongs here; and the factor from its time to this one's. */
  follows?: (digest: string) => boolean;
  label: string;
}

/** Frames that fill the view when it is zoomed in as far as it goes. */
const LEAST_FRAMES = 32;
const NO_BANDS: Band[] = [];
const NO_HINTS: Hint[] = [];
const NO_MARKERS: Scene["markers"] = [];

export function WaveView(props: Props) {
  const { opened, height, spectrum = 0, marked, anchor, anchorKind, axis = "log", silent, over, floors, label, follows } = props;
  const { faded, fade, bands = NO_BANDS, hints = NO_HINTS, markers = NO_MARKERS } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const total = opened ? opened.frames / opened.rate : 1;
  const rate = opened?.rate ?? 48_000;
  const lanes = opened?.channels ?? 1;
  const [own, setOwn] = useState<[number, number]>([0, total]);
  const view = props.view ?? own;
  const setView = props.onView ?? setOwn;
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
  const unit = useUnit();
  const columns = Math.min(2048, width);
  const peaks = usePeaks(opened, view, columns).data;
  const picture = useSpectrogram(opened, view, Math.min(columns, 900), spectrum ? Math.min(spectrum, 160) : 0, axis, colours);
  const gripped: Gripped = { ...props, ready: !!opened, width, height, lanes, total, view };
  const { grabbed, pointer } = useGrips(gripped);
  const { byDb, inDb } = useHeights();
  const most = useMemo(() => (peaks ? loudest(peaks) : 0), [peaks]);
  // a threshold lies where its level is: nothing is drawn taller under it
  const gain = over === undefined ? (inDb ? 10 ** (byDb / 20) : filling(most, byDb)) : 1;
  const sound = useMemo(
    () => ({ width, height, spectrum, view, total, rate, unit, colours, peaks, gain, inDb, picture, axis, lanes, silent }),
    [width, height, spectrum, view, total, rate, unit, colours, peaks, gain, inDb, picture, axis, lanes, silent],
  );
  const scene = useMemo(
    (): Scene => ({ ...sound, bands, hints, markers, marked, anchor, anchorKind, over, floors, faded, fade, grabbed }),
    [sound, bands, hints, markers, marked, anchor, anchorKind, over, floors, faded?.[0], faded?.[1], fade, grabbed],
  );
  useEffect(() => {
    const pen = canvas.current && fitted(canvas.current);
    if (pen && scene.width) drawWave(pen, scene);
  }, [scene]);

  useEffect(() => {
    const draw = () => {
      const pen = overlay.current && fitted(overlay.current);
      const heard = useListening.getState().heard;
      if (!pen || !heard || !opened || !(follows ? follows(heard.opened.digest) : heard.opened.digest === opened.digest)) return;
      pen.fillStyle = colours.chalk;
      pen.fillRect(toX({ view, width }, live.position / heard.opened.rate), RULER - 4, 1.4, height + spectrum + 4);
    };
    draw();
    return player.onTick(draw);
  }, [opened, view, width, height, spectrum, follows, colours]);
  const heardDigest = useListening((state) => state.heard?.opened.digest);
  useEffect(() => {
    if (!heardDigest && overlay.current) fitted(overlay.current);
  }, [heardDigest]);
  useWheelZoom(overlay, view, { total, least: LEAST_FRAMES / rate, width: opened ? width : 0, onView: setView });

  const late = useLate(!peaks);
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
        {...pointer}
        onDoubleClick={() => setView([0, total])}
      />
      {late && height >= LOWEST_SAID && (
        <Box
          role="status"
          position="absolute"
          top={`${RULER + height / 2 - 9}px`}
          w="100%"
          textAlign="center"
          color="dim"
          fontSize="12px"
          pointerEvents="none"
        >
          {SAID[opened ? (opened.estimated ? "estimated" : "drawn") : "opened"]}
        </Box>
      )}
    </Box>
  );
}
