import { chakra } from "@chakra-ui/react";
import { type PointerEvent, useEffect, useRef } from "react";
import { fitted } from "../../canvas/paint";
import { useInk } from "../../ui/theme";

const BINS = 18;
/** Room under the bars for what stands at both ends (px). */
const WRITTEN = 12;
/** A press that moves less than this share of the width is a click. */
const CLICK = 0.01;

interface Props {
  values: readonly number[];
  /** Whether they are heard in ratios, as times and frequencies are. */
  ratio: boolean;
  /** How a value is written. */
  shown: (value: number) => string;
  band: readonly [number, number] | null;
  onBand: (band: [number, number] | null) => void;
  label: string;
}

/** How often values come; dragging over it chooses a band of them, a click gives it up. */
export function Histogram({ values, ratio, shown, band, onBand, label }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const colours = useInk();
  const from = useRef<number | null>(null);
  const on = (value: number) => (ratio ? Math.log(Math.max(value, 1e-6)) : value);
  const placed = values.map(on);
  let [low, high] = [Math.min(...placed), Math.max(...placed)];
  if (!(high > low)) [low, high] = [low - 0.5, high + 0.5];
  const held = useRef({ placed, low, high });
  held.current = { placed, low, high };
  const drawn = placed.join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the values are looked at as one text
  useEffect(() => {
    const pen = canvas.current && fitted(canvas.current);
    if (!pen || !canvas.current || !values.length) return;
    const { clientWidth: width, clientHeight: height } = canvas.current;
    const x = (value: number) => Math.min(1, Math.max(0, (on(value) - low) / (high - low))) * width;
    if (band) {
      pen.fillStyle = colours.amberSoft;
      pen.fillRect(x(band[0]), 0, Math.max(1, x(band[1]) - x(band[0])), height - WRITTEN);
    }
    const bins = new Array<number>(BINS).fill(0);
    for (const value of held.current.placed) bins[Math.min(BINS - 1, Math.floor(((value - low) / (high - low)) * BINS))] += 1;
    const most = Math.max(1, ...bins);
    bins.forEach((count, i) => {
      pen.fillStyle = colours.glassDeep;
      const h = (count / most) * (height - WRITTEN - 4);
      pen.fillRect((i * width) / BINS + 1, height - WRITTEN - h, width / BINS - 2, h);
    });
    pen.fillStyle = colours.dim;
    pen.font = "9px 'JetBrains Mono Variable', monospace";
    const off = (value: number) => (ratio ? Math.exp(value) : value);
    pen.fillText(shown(off(low)), 0, height - 2);
    const right = shown(off(high));
    pen.fillText(right, width - pen.measureText(right).width, height - 2);
  }, [drawn, low, high, band, colours, ratio]);
  const share = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
  };
  const at = (where: number) => {
    // the outermost values belong to a band that reaches the edge
    if (where === 0 || where === 1) return where ? Number.POSITIVE_INFINITY : Number.NEGATIVE_INFINITY;
    const value = held.current.low + where * (held.current.high - held.current.low);
    return ratio ? Math.exp(value) : value;
  };
  return (
    <chakra.canvas
      ref={canvas}
      w="100%"
      h="64px"
      flexShrink={0}
      cursor="ew-resize"
      touchAction="none"
      role="img"
      aria-label={label}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = share(event);
      }}
      onPointerMove={(event) => {
        if (from.current === null || !event.buttons) return;
        const here = share(event);
        onBand([at(Math.min(here, from.current)), at(Math.max(here, from.current))]);
      }}
      onPointerUp={(event) => {
        if (from.current !== null && Math.abs(share(event) - from.current) < CLICK) onBand(null);
        from.current = null;
      }}
    />
  );
}
