import { Box, Flex } from "@chakra-ui/react";
import { memo, useMemo, useState } from "react";
import type { Schemas } from "../../api/client";
import { Choose } from "../../ui/choices";
import { hertz, level, seconds } from "../../ui/format";
import { useInk } from "../../ui/theme";

type Draw = Schemas["DrawView"];
type Pair = Schemas["PairView"];

const [WIDE, HIGH] = [212, 190];
/** Room around the outermost points, so that neither they nor their numbers lie on the edge. */
const ROOM = 14;
/** More numbers than this would lie on each other. */
const MOST_NAMED = 100;

const WRITTEN: Record<string, (value: number) => string> = {
  brightness: hertz,
  pitch: hertz,
  length: seconds,
  attack: seconds,
  loudness: (value) => `${level(value)} LUFS`,
};
const ALL = "all that was measured";
const AXES = [ALL, ...Object.keys(WRITTEN)];
/** Frequencies and times are heard in ratios. */
const RATIOS = ["brightness", "pitch", "length", "attack"];

interface Props {
  draws: Draw[];
  alike: Pair[];
  at: number;
  sounding: number | null;
  onPlay: (index: number) => void;
}

/** Variations where they lie: by two descriptors, or by all that was measured of them, where near means alike. Near-identical pairs are joined. */
export function MapView({ draws, alike, at, sounding, onPlay }: Props) {
  const colours = useInk();
  const [across, setAcross] = useState(ALL);
  const [up, setUp] = useState("brightness");
  const projected = across === ALL;
  const { points, ends } = useMemo(() => laidOut(draws, projected ? null : [across, up]), [draws, projected, across, up]);
  const axes = (
    <Flex gap="6px" wrap="wrap">
      <Choose label="Map across" value={across} options={AXES.map((one) => [one, one] as const)} onChange={setAcross} />
      {!projected && <Choose label="Map up" value={up} options={AXES.slice(1).map((one) => [one, one] as const)} onChange={setUp} />}
    </Flex>
  );
  if (points.length < 2)
    return (
      <Box>
        {draws.some((one) => one.ready) && axes}
        <Box color="dim">The map appears when two or more are drawn{projected ? "" : " and have these descriptors"}.</Box>
      </Box>
    );
  const chosen = points.find((one) => one.index === at);
  const heard = sounding === null ? undefined : points.find((one) => one.draw.id === sounding);
  const said = (name: string, [low, high]: Ends) => {
    const back = (value: number) => WRITTEN[name](RATIOS.includes(name) ? Math.exp(value) : value);
    return `${name}, ${back(low)} to ${back(high)}`;
  };
  return (
    <Box>
      {axes}
      <Box h="6px" />
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        role="img"
        aria-label={projected ? "Map of the variations by all that was measured" : `Map of the variations by ${across} and ${up}`}
      >
        <rect x="0.5" y="0.5" width={WIDE - 1} height={HIGH - 1} rx="8" fill={colours.ground} stroke={colours.line} />
        <Points points={points} alike={alike} onPlay={onPlay} />
        {chosen && <circle cx={chosen.x} cy={chosen.y} r="9" fill="none" stroke={colours.amber} strokeWidth="2" pointerEvents="none" />}
        {heard && <circle cx={heard.x} cy={heard.y} r="8" fill={colours.amber} pointerEvents="none" />}
      </svg>
      <Box color="dim" fontSize="11px">
        {projected ? "What lies near sounds alike." : `Across: ${said(across, ends[0])}. Up: ${said(up, ends[1])}.`}
        {alike.length > 0 && " Joined: they pass for the same."}
      </Box>
    </Box>
  );
}

type Ends = readonly [number, number];

interface Point {
  draw: Draw;
  index: number;
  x: number;
  y: number;
}

/** Where variations lie on the picture, by two descriptors or by all that was measured, and the values at its ends. */
function laidOut(draws: Draw[], axes: [string, string] | null): { points: Point[]; ends: [Ends, Ends] } {
  const place = (draw: Draw, which: 0 | 1): number | null => {
    if (!axes) return draw.place ? draw.place[which] : null;
    const value = draw.described?.[axes[which]];
    if (value == null) return null;
    return RATIOS.includes(axes[which]) ? Math.log(Math.max(1e-6, value)) : value;
  };
  const found = draws.flatMap((draw, index) => {
    const [x, y] = [place(draw, 0), place(draw, 1)];
    return x === null || y === null ? [] : [{ draw, index, x, y }];
  });
  const of = (values: number[]): Ends => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    return high > low ? [low, high] : [low - (Math.abs(low) * 0.02 || 1), high + (Math.abs(high) * 0.02 || 1)];
  };
  const [x0, x1] = of(found.map((one) => one.x));
  const [y0, y1] = of(found.map((one) => one.y));
  const points = found.map((one) => ({
    ...one,
    x: ROOM + ((one.x - x0) / (x1 - x0)) * (WIDE - 2 * ROOM),
    y: HIGH - ROOM - ((one.y - y0) / (y1 - y0)) * (HIGH - 2 * ROOM),
  }));
  return {
    points,
    ends: [
      [x0, x1],
      [y0, y1],
    ],
  };
}

/** All points of the map and the lines between those that pass for the same; drawn anew only when one of them changes. */
const Points = memo(function Points({ points, alike, onPlay }: { points: Point[]; alike: Pair[]; onPlay: (index: number) => void }) {
  const colours = useInk();
  const lying = new Map(points.map((one) => [one.draw.id, one]));
  return (
    <>
      {alike.map((pair) => {
        const [from, to] = [lying.get(pair.one), lying.get(pair.other)];
        return (
          from &&
          to && <line key={`${pair.one} ${pair.other}`} x1={from.x} y1={from.y} x2={to.x} y2={to.y} stroke={colours.amber} strokeWidth="1.5" />
        );
      })}
      {points.map(({ draw, index, x, y }) => (
        <Spot key={draw.id} x={x} y={y} index={index} number={points.length > MOST_NAMED ? null : draw.number} state={draw.state} onPlay={onPlay} />
      ))}
    </>
  );
});

interface SpotProps {
  x: number;
  y: number;
  index: number;
  /** Null where there is no room for numbers. */
  number: number | null;
  state: Draw["state"];
  onPlay: (index: number) => void;
}

const Spot = memo(function Spot({ x, y, index, number, state, onPlay }: SpotProps) {
  const colours = useInk();
  const left = x > WIDE - 2 * ROOM;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the grid beside it is the keyboard's way
    <g onClick={() => onPlay(index)} style={{ cursor: "pointer" }}>
      <circle
        cx={x}
        cy={y}
        r={number === null ? 3.5 : 5}
        fill={state === "kept" ? colours.glass : state === "dropped" ? colours.line : colours.dim}
      />
      {number !== null && (
        <text
          x={left ? x - 8 : x + 8}
          y={y + 3.5}
          textAnchor={left ? "end" : "start"}
          style={{ fontSize: 9 }}
          fill={colours.dim}
          fontFamily="JetBrains Mono Variable"
        >
          {number}
        </text>
      )}
    </g>
  );
});
