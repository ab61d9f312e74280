import { Box } from "@chakra-ui/react";
import type { Schemas } from "../../api/client";
import { hertz, seconds } from "../../ui/format";
import { useInk } from "../../ui/theme";

type Draw = Schemas["DrawView"];

const [WIDE, HIGH] = [212, 190];
/** Room around the outermost points, so that neither they nor their numbers lie on the edge. */
const ROOM = 14;

/** Variations by what was measured of them: across brightness, up length. */
export function MapView({ draws, at, onPlay }: { draws: Draw[]; at: number; onPlay: (index: number) => void }) {
  const colours = useInk();
  const ready = draws.map((draw, index) => ({ draw, index })).filter(({ draw }) => draw.seconds != null && draw.brightness != null);
  if (ready.length < 2) return <Box color="dim">The map appears when two or more are drawn.</Box>;
  const of = (values: number[]): [number, number] => {
    const [low, high] = [Math.min(...values), Math.max(...values)];
    return high > low ? [low, high] : [low - (low * 0.02 || 1), high + (high * 0.02 || 1)];
  };
  const [x0, x1] = of(ready.map(({ draw }) => draw.brightness as number));
  const [y0, y1] = of(ready.map(({ draw }) => draw.seconds as number));
  return (
    <Box>
      <svg viewBox={`0 0 ${WIDE} ${HIGH}`} role="img" aria-label="Map of the variations by brightness and length">
        <rect x="0.5" y="0.5" width={WIDE - 1} height={HIGH - 1} rx="8" fill={colours.ground} stroke={colours.line} />
        {ready.map(({ draw, index }) => {
          const x = ROOM + (((draw.brightness as number) - x0) / (x1 - x0)) * (WIDE - 2 * ROOM);
          const y = HIGH - ROOM - (((draw.seconds as number) - y0) / (y1 - y0)) * (HIGH - 2 * ROOM);
          const left = x > WIDE - 2 * ROOM;
          const tone = draw.state === "kept" ? colours.glass : draw.state === "dropped" ? colours.line : colours.dim;
          return (
            // biome-ignore lint/a11y/noStaticElementInteractions: the grid beside it is the keyboard's way
            <g key={draw.id} onClick={() => onPlay(index)} style={{ cursor: "pointer" }}>
              {index === at && <circle cx={x} cy={y} r="9" fill="none" stroke={colours.amber} strokeWidth="2" />}
              <circle cx={x} cy={y} r="5" fill={tone} />
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
            </g>
          );
        })}
      </svg>
      <Box color="dim" fontSize="11px">
        Across: brightness, {hertz(x0)} to {hertz(x1)}. Up: length, {seconds(y0)} to {seconds(y1)}.
      </Box>
    </Box>
  );
}
