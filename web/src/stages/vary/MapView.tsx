import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Choose } from "../../ui/choices";
import { hertz, level, seconds } from "../../ui/format";
import { useInk } from "../../ui/theme";

type Draw = Schemas["DrawView"];
type Pair = Schemas["PairView"];

const [WIDE, HIGH] = [212, 190];
/** Room around the outermost points, so that neither they nor their numbers lie on the edge. */
const ROOM = 14;

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
  const place = (draw: Draw, axis: "across" | "up"): number | null => {
    if (projected) return draw.place ? draw.place[axis === "across" ? 0 : 1] : null;
    const name = axis === "across" ? across : up;
    const value = draw.described?.[name];
    if (value == null) return null;
    return RATIOS.includes(name) ? Math.log(Math.max(1e-6, value)) : value;
  };
  const points = draws.flatMap((draw, index) => {
    const [x, y] = [place(draw, "across"), place(draw, "up")];
    return x === null || y === null ? [] : [{ draw, index, x, y }];
  });
  const of = (values: number[]): [number, number] => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    return high > low ? [low, high] : [low - (Math.abs(low) * 0.02 || 1), high + (Math.abs(high) * 0.02 || 1)];
  };
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
  const [x0, x1] = of(points.map((one) => one.x));
  const [y0, y1] = of(points.map((one) => one.y));
  const at_ = new Map(
    points.map((one) => [
      one.draw.id,
      [ROOM + ((one.x - x0) / (x1 - x0)) * (WIDE - 2 * ROOM), HIGH - ROOM - ((one.y - y0) / (y1 - y0)) * (HIGH - 2 * ROOM)] as const,
    ]),
  );
  const ends = (name: string, low: number, high: number) => {
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
        {alike.map((pair) => {
          const [from, to] = [at_.get(pair.one), at_.get(pair.other)];
          return (
            from &&
            to && <line key={`${pair.one} ${pair.other}`} x1={from[0]} y1={from[1]} x2={to[0]} y2={to[1]} stroke={colours.amber} strokeWidth="1.5" />
          );
        })}
        {points.map(({ draw, index }) => {
          const [x, y] = at_.get(draw.id) ?? [0, 0];
          const left = x > WIDE - 2 * ROOM;
          const tone = draw.state === "kept" ? colours.glass : draw.state === "dropped" ? colours.line : colours.dim;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: the grid beside it is the keyboard's way
            <g key={draw.id} onClick={() => onPlay(index)} style={{ cursor: "pointer" }}>
              {index === at && <circle cx={x} cy={y} r="9" fill="none" stroke={colours.amber} strokeWidth="2" />}
              <circle cx={x} cy={y} r={draw.id === sounding ? 8 : points.length > 100 ? 3.5 : 5} fill={draw.id === sounding ? colours.amber : tone} />
              {points.length <= 100 && (
                <text
                  x={left ? x - 8 : x + 8}
                  y={y + 3.5}
                  textAnchor={left ? "end" : "start"}
                  style={{ fontSize: 9 }}
                  fill={colours.dim}
                  fontFamily="JetBrains Mono Variable"
                >
                  {draw.number}
                </text>
              )}
            </g>
          );
        })}
      </svg>
      <Box color="dim" fontSize="11px">
        {projected ? "What lies near sounds alike." : `Across: ${ends(across, x0, x1)}. Up: ${ends(up, y0, y1)}.`}
        {alike.length > 0 && " Joined: they pass for the same."}
      </Box>
    </Box>
  );
}
