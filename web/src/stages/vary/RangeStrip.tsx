import { type PointerEvent, useRef } from "react";
import type { Freedom } from "../../api/client";
import { useInk } from "../../ui/theme";
import { atStrip, type Freeable, onStrip, reach } from "./freedoms";

const [WIDE, HIGH] = [200, 24];
/** So near an end (0..1 of the strip) a press takes hold of it. */
const NEAR = 0.06;

/** How often values come, from one end of the range to the other. */
function outline(shape: Freedom["shape"], steps: number): string {
  const base = HIGH - 3;
  const top = (x: number, height: number) => `${x.toFixed(3)} ${(base - height * (HIGH - 6)).toFixed(2)}`;
  if (shape === "steps") {
    const count = Math.min(40, Math.max(2, steps));
    const bars = Array.from({ length: count }, (_, place) => (count > 1 ? place / (count - 1) : 0.5));
    return bars
      .map((x) => `M${top(Math.max(0, x - 0.012), 0)}L${top(Math.max(0, x - 0.012), 0.9)}L${top(x + 0.012, 0.9)}L${top(x + 0.012, 0)}Z`)
      .join("");
  }
  const heights = Array.from({ length: 41 }, (_, place) => {
    const x = place / 40;
    if (shape === "bell") return Math.exp(-((4 * (x - 0.5)) ** 2) / 2);
    if (shape === "triangle") return 1 - Math.abs(2 * x - 1);
    return 0.7;
  });
  return `M${top(0, 0)}L${heights.map((height, place) => top(place / 40, height)).join("L")}L${top(1, 0)}Z`;
}

interface Props {
  of: Freeable;
  freedom: Freedom;
  onChange: (low: number, high: number, gesture: string) => void;
}

/** A range around the design's own value, drawn as how often its values come. Its ends are dragged; between them both move. Keys have the numbers beside it. */
export function RangeStrip({ of, freedom, onChange }: Props) {
  const colours = useInk();
  const held = useRef<{ end: "low" | "high" | "both"; at: number; from: [number, number]; reaching: number } | null>(null);
  const reaching = held.current?.reaching ?? reach(of, freedom);
  const [from, to] = [onStrip(of, freedom.low, reaching), onStrip(of, freedom.high, reaching)];
  const share = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return Math.min(1, Math.max(0, (event.clientX - box.left) / box.width));
  };
  const down = (event: PointerEvent<SVGSVGElement>) => {
    const at = share(event);
    const end = Math.abs(at - from) < NEAR || at < from ? "low" : Math.abs(at - to) < NEAR || at > to ? "high" : "both";
    event.currentTarget.setPointerCapture(event.pointerId);
    held.current = { end, at, from: [from, to], reaching };
  };
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const now = held.current;
    if (!now) return;
    const at = share(event);
    const by = at - now.at;
    const value = (place: number) => atStrip(of, Math.min(1, Math.max(0, place)), now.reaching);
    const low = now.end === "high" ? freedom.low : value(now.end === "low" ? at : now.from[0] + by);
    const high = now.end === "low" ? freedom.high : value(now.end === "high" ? at : now.from[1] + by);
    onChange(Math.min(low, high), Math.max(low, high), `range ${freedom.path}`);
  };
  const count = freedom.step > 0 ? Math.floor((freedom.high - freedom.low) / freedom.step + 1e-9) + 1 : 2;
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      preserveAspectRatio="none"
      width="100%"
      height={HIGH}
      style={{ cursor: "ew-resize", touchAction: "none", display: "block", flex: 1, minWidth: 0 }}
      aria-hidden
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={() => {
        held.current = null;
      }}
    >
      <rect x="0" y="0" width={WIDE} height={HIGH} rx="5" fill={colours.ground} />
      <line x1={WIDE / 2} x2={WIDE / 2} y1="1" y2={HIGH - 1} stroke={colours.line} strokeWidth="1.5" />
      <g transform={`translate(${from * WIDE} 0) scale(${Math.max(0.004, to - from) * WIDE} 1)`}>
        <path d={outline(freedom.shape, count)} fill={colours.glass} fillOpacity="0.55" />
      </g>
      {[from, to].map((place, end) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the two ends
        <rect key={end} x={Math.min(WIDE - 3, Math.max(0, place * WIDE - 1.5))} y="2" width="3" height={HIGH - 4} rx="1.5" fill={colours.glass} />
      ))}
    </svg>
  );
}
