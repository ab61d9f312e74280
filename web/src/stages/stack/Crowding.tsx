/** Which layers crowd each other: a strip under every layer, and the pairs that contest a band, with a dip that makes room. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useEffect, useRef } from "react";
import type { Mix, Schemas, Step } from "../../api/client";
import { freshId } from "../../mix/fresh";
import { Do } from "../../ui/buttons";
import { type Ink, useInk } from "../../ui/theme";

type Crowding = Schemas["Crowding"];
type Pair = Schemas["Pair"];

export const STRIP = 11;

/** From here on the others together are louder than the layer. */
const HALF = 0.5;

/** From the colour of a layer that is alone to that of one that lies under others; low bands at the bottom. */
function paint(canvas: HTMLCanvasElement, covered: number[][], colours: Ink) {
  const [rows, columns] = [covered.length, covered[0]?.length ?? 0];
  const pen = canvas.getContext("2d");
  if (!pen || !columns) return;
  canvas.width = columns;
  canvas.height = rows;
  pen.clearRect(0, 0, columns, rows);
  for (const [band, row] of covered.entries())
    for (const [at, value] of row.entries()) {
      if (value < 0) continue;
      const under = Math.max(0, value - HALF) / (1 - HALF);
      pen.globalAlpha = under > 0 ? 0.25 + 0.65 * under : 0.2 + 0.8 * value;
      pen.fillStyle = under > 0 ? colours.coral : colours.glassDeep;
      pen.fillRect(at, rows - 1 - band, 1, 1);
    }
}

/** In words: where a layer lies most under the others. */
function said(covered: number[][], crowding: Crowding): string {
  let worst = [0, 0];
  for (const [band, row] of covered.entries()) {
    const heard = row.filter((value) => value >= 0);
    const mean = heard.reduce((sum, value) => sum + value, 0) / Math.max(1, heard.length);
    if (heard.length && mean > worst[0]) worst = [mean, band];
  }
  if (worst[0] < 0.2) return "clear of the other layers";
  const [low, high] = [crowding.edges_hz[worst[1]], crowding.edges_hz[worst[1] + 1]];
  return `most under others from ${hz(low)} to ${hz(high)}: they give ${Math.round(100 * worst[0])} % there`;
}

export function hz(value: number): string {
  return value >= 1000 ? `${(value / 1000).toFixed(1)} kHz` : `${Math.round(value)} Hz`;
}

export function CrowdStrip({
  id,
  name,
  crowding,
  toX,
  scale,
}: {
  id: string;
  name: string;
  crowding: Crowding;
  toX: (s: number) => number;
  scale: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const strip = crowding.strips.find((one) => one.id === id);
  const colours = useInk();
  useEffect(() => {
    if (canvas.current && strip) paint(canvas.current, strip.covered, colours);
  }, [strip, colours]);
  if (!strip) return null;
  const told = `${name}: ${said(strip.covered, crowding)}`;
  return (
    <Box
      position="absolute"
      bottom="1px"
      h={`${STRIP}px`}
      left={`${toX(crowding.start_s)}px`}
      w={`${Math.max(2, (crowding.end_s - crowding.start_s) * scale)}px`}
      title={`${told}. Lows at the bottom; coral where the others together are louder`}
      data-testid="crowd"
    >
      <chakra.canvas ref={canvas} role="img" aria-label={told} display="block" w="100%" h="100%" />
    </Box>
  );
}

/** The layer with the dip's step put behind its chain. */
export function dipped(mix: Mix, dip: NonNullable<Pair["dip"]>): Mix {
  const step: Step = { ...dip.step, id: freshId("room") };
  return { ...mix, members: mix.members.map((one) => (one.id === dip.layer ? { ...one, chain: [...one.chain, step] } : one)) };
}

export function CrowdedPairs({ mix, crowding, onChange }: { mix: Mix; crowding: Crowding; onChange: (mix: Mix) => void }) {
  const named = (id: string) => mix.members.find((one) => one.id === id)?.name ?? "";
  if (!crowding.pairs.length)
    return (
      <Box color="dim" fontSize="12px">
        No two layers contest a band.
      </Box>
    );
  return (
    <Flex direction="column" gap="9px" role="list" aria-label="Layers that crowd each other">
      {crowding.pairs.map((pair) => (
        <Box key={`${pair.louder} ${pair.other}`} role="listitem" fontSize="12px" data-testid="pair">
          <Box>
            {named(pair.louder)}{" "}
            <Box as="span" color="dim">
              {pair.over_db < 0.5 ? "as loud as" : `${pair.over_db.toFixed(1)} dB over`}
            </Box>{" "}
            {named(pair.other)}
          </Box>
          <Box color="dim" fontFamily="mono" fontSize="11px">
            {hz(pair.low_hz)} to {hz(pair.high_hz)}, {pair.from_s.toFixed(2)} to {pair.to_s.toFixed(2)} s
          </Box>
          {pair.dip && (
            <Flex align="center" gap="6px" wrap="wrap">
              <Do
                quiet
                hint="Add an equaliser band to that layer; it is a step like any other"
                onClick={() => pair.dip && onChange(dipped(mix, pair.dip))}
              >
                <Box as="span" color="glass">
                  Dip {named(pair.dip.layer)} by {(-Number(pair.dip.step.params?.gain_db)).toFixed(1)} dB
                </Box>
              </Do>
              <Box color="dim" fontFamily="mono" fontSize="11px">
                {pair.dip.layer === pair.louder ? named(pair.other) : named(pair.louder)} against it: {signed(pair.dip.before_db)} →{" "}
                {signed(pair.dip.after_db)} dB
              </Box>
            </Flex>
          )}
        </Box>
      ))}
    </Flex>
  );
}

function signed(value: number): string {
  return `${value >= 0 ? "+" : ""}${value.toFixed(1)}`;
}
