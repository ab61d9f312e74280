/** An envelope on the waveform of its layer: points are put, dragged and taken away; with the pen it is drawn in one go. */
import { type PointerEvent, useRef, useState } from "react";
import type { Envelope } from "../api/client";
import { envelopeAt, inOrder } from "../mix/envelope";
import { carried } from "../mix/line";
import type { Drawn } from "./clips";

interface Props {
  aim: Drawn;
  envelope: Envelope | null;
  line: readonly number[][];
  scale: number;
  width: number;
  height: number;
  pen: boolean;
  onChange: (envelope: Envelope) => void;
}

const EDGE = 7;

export function EnvelopeLine({ aim, envelope, line, scale, width, height, pen, onChange }: Props) {
  const [draft, setDraft] = useState<number[][] | null>(null);
  const box = useRef<SVGSVGElement>(null);
  const held = useRef<{ index: number; from: number[][] } | null>(null);
  const drawn = useRef<number[][]>([]);
  const now: Envelope = { control: aim.control, curve: "lines", on: true, ...envelope, points: draft ?? envelope?.points ?? [] };
  const share = (value: number) => (aim.log ? Math.log(value / aim.low) / Math.log(aim.high / aim.low) : (value - aim.low) / (aim.high - aim.low));
  const toY = (value: number) => EDGE + (1 - Math.min(1, Math.max(0, share(value)))) * (height - 2 * EDGE);
  const toX = (seconds: number) => carried(line, seconds, 0) * scale;
  const at = (event: PointerEvent): [number, number] => {
    const area = box.current?.getBoundingClientRect();
    const x = Math.min(width, Math.max(0, event.clientX - (area?.left ?? 0)));
    const way = 1 - Math.min(1, Math.max(0, (event.clientY - (area?.top ?? 0) - EDGE) / (height - 2 * EDGE)));
    const value = aim.log ? aim.low * (aim.high / aim.low) ** way : aim.low + way * (aim.high - aim.low);
    return [Number(carried(line, x / scale, 1).toFixed(5)), Number(value.toFixed(aim.high - aim.low > 4 ? 2 : 3))];
  };
  const begin = (event: PointerEvent) => {
    event.stopPropagation();
    if (event.button) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    const point = at(event);
    if (pen) {
      drawn.current = [point];
      setDraft(now.points);
      return;
    }
    const index = (event.target as Element).getAttribute("data-point");
    const points = index === null ? inOrder([...now.points, point]) : now.points;
    held.current = { index: index === null ? points.indexOf(point) : Number(index), from: points };
    setDraft(points);
  };
  const move = (event: PointerEvent) => {
    const point = at(event);
    if (drawn.current.length) {
      const last = drawn.current[drawn.current.length - 1];
      if (Math.abs(toX(point[0]) - toX(last[0])) < 3) return;
      drawn.current = [...drawn.current, point];
      const times = drawn.current.map(([time]) => time);
      const [low, high] = [Math.min(...times), Math.max(...times)];
      const rest = (envelope?.points ?? []).filter(([time]) => time < low || time > high);
      setDraft(inOrder([...rest, ...drawn.current]));
    } else if (held.current) {
      const { index, from } = held.current;
      const [before, after] = [from[index - 1]?.[0] ?? -600, from[index + 1]?.[0] ?? 86_400];
      const time = Math.min(after - 1e-4, Math.max(before + 1e-4, point[0]));
      setDraft(from.map((one, i) => (i === index ? [time, point[1]] : one)));
    }
  };
  const end = () => {
    if (draft && (held.current || drawn.current.length > 1)) onChange({ ...now, points: draft });
    held.current = null;
    drawn.current = [];
    setDraft(null);
  };
  const path: string[] = [];
  for (let x = 0; x <= width; x += now.curve === "lines" ? 2 : 3) {
    const value = now.points.length ? envelopeAt(now, carried(line, x / scale, 1)) : aim.normal;
    path.push(`${x} ${toY(value).toFixed(1)}`);
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the panel beside it has the same points as text to type
    <svg
      ref={box}
      data-testid="envelope"
      width={width}
      height={height}
      role="presentation"
      style={{
        position: "absolute",
        inset: 0,
        cursor: pen ? "crosshair" : "copy",
        touchAction: "none",
        color: "var(--chakra-colors-amber)",
        opacity: now.on ? 1 : 0.45,
      }}
      onPointerDown={begin}
      onPointerMove={move}
      onPointerUp={end}
      onDoubleClick={(event) => {
        event.stopPropagation();
        const index = (event.target as Element).getAttribute("data-point");
        if (index !== null) onChange({ ...now, points: (envelope?.points ?? []).filter((_, i) => i !== Number(index)) });
      }}
    >
      <polyline points={path.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.6" strokeDasharray={now.points.length ? undefined : "3 5"} />
      {now.points.map(([time, value], i) => (
        <circle
          // biome-ignore lint/suspicious/noArrayIndexKey: points are told apart by their order
          key={i}
          data-point={i}
          cx={toX(time)}
          cy={toY(value)}
          r={5}
          fill="currentColor"
          style={{ cursor: "grab" }}
        >
          <title>
            {time.toFixed(3)} s, {value.toFixed(2)} {aim.unit}
          </title>
        </circle>
      ))}
    </svg>
  );
}
