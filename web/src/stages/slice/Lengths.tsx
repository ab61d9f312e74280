import { chakra } from "@chakra-ui/react";
import { type PointerEvent, useEffect, useRef } from "react";
import { fitted } from "../../canvas/paint";
import { useInk } from "../../ui/theme";

const BINS = 18;
const LOW = 0.02;
const HIGH = 30;

/** Histogram of slice lengths on a logarithmic axis; dragging over it chooses a band. */
export function Lengths({
  lengths,
  band,
  onBand,
}: {
  lengths: number[];
  band: [number, number] | null;
  onBand: (band: [number, number] | null) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const colours = useInk();
  const from = useRef<number | null>(null);
  useEffect(() => {
    const pen = canvas.current && fitted(canvas.current);
    if (!pen || !canvas.current) return;
    const { clientWidth: width, clientHeight: height } = canvas.current;
    const x = (s: number) => (Math.log(Math.min(HIGH, Math.max(LOW, s)) / LOW) / Math.log(HIGH / LOW)) * width;
    if (band) {
      pen.fillStyle = colours.amberSoft;
      pen.fillRect(x(band[0]), 0, x(band[1]) - x(band[0]), height - 12);
    }
    const bins = new Array<number>(BINS).fill(0);
    for (const length of lengths) bins[Math.min(BINS - 1, Math.floor((x(length) / width) * BINS))] += 1;
    const most = Math.max(1, ...bins);
    bins.forEach((count, i) => {
      pen.fillStyle = colours.glassDeep;
      const h = (count / most) * (height - 16);
      pen.fillRect((i * width) / BINS + 1, height - 12 - h, width / BINS - 2, h);
    });
    pen.fillStyle = colours.dim;
    pen.font = "9px 'JetBrains Mono Variable', monospace";
    for (const s of [0.1, 1, 10]) pen.fillText(`${s} s`, x(s) - 8, height - 2);
  }, [lengths, band, colours]);
  const at = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return LOW * (HIGH / LOW) ** Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
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
      aria-label="How long the slices are; drag to choose a band of lengths"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        from.current = at(event);
      }}
      onPointerMove={(event) => {
        if (from.current === null || !event.buttons) return;
        const here = at(event);
        onBand(here < from.current ? [here, from.current] : [from.current, here]);
      }}
      onPointerUp={(event) => {
        if (from.current !== null && Math.abs(Math.log(at(event) / from.current)) < 0.05) onBand(null);
        from.current = null;
      }}
    />
  );
}
