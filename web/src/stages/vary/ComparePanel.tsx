import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type Node } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { Blind } from "../../listening/Blind";
import { openToHear } from "../../listening/opening";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { useInk } from "../../ui/theme";
import { mixOf } from "./drawing";
import type { Draw } from "./useJudgements";

interface Props {
  spread: number;
  one: Draw;
  other: Draw;
  onBetween: () => void;
  onLeave: () => void;
}

/** What differs between two variations: values, waveforms, spectra; heard blind, or more drawn between them. */
export function ComparePanel({ spread, one, other, onBetween, onLeave }: Props) {
  const library = useShared((state) => state.library);
  const colours = useInk();
  const told = useQuery({
    queryKey: ["compared", library, spread, one.id, other.id, one.ready, other.ready],
    queryFn: () =>
      got(
        api.GET("/api/lib/{library}/spreads/{id}/compared", { params: { path: { library, id: spread }, query: { one: one.id, other: other.id } } }),
      ),
  });
  const bands = told.data?.octaves_hz ?? [];
  const said = (value: unknown, unit: string) =>
    typeof value === "number"
      ? `${value.toFixed(2)}${unit && unit !== "×" ? ` ${unit}` : ""}`
      : value === true
        ? "yes"
        : value === false
          ? "no"
          : String(value ?? "");
  const side = (draw: Draw) => ({
    name: `No ${draw.number}`,
    hear: async () => openToHear({ node: (await mixOf(library, draw.id)) as Node }, library, `No ${draw.number}`, { lufs: draw.loudness }),
  });
  return (
    <Flex direction="column" gap="8px" role="group" aria-label="Two compared">
      <Flex justify="space-between" align="center">
        <Box fontWeight={600}>
          No {one.number} and No {other.number}
          {told.data?.apart != null && (
            <Box as="span" color="dim" fontWeight={400}>
              {" "}
              {told.data.apart.toFixed(2)} apart
            </Box>
          )}
        </Box>
        <Do quiet onClick={onLeave}>
          done
        </Do>
      </Flex>
      <Box position="relative" h="52px" bg="ground" borderRadius="6px" overflow="hidden" aria-hidden>
        <Box position="absolute" inset="2px">
          <MiniWave outline={one.outline} colour="amber" height={48} />
        </Box>
        <Box position="absolute" inset="2px" opacity={0.65}>
          <MiniWave outline={other.outline} colour="plum" height={48} />
        </Box>
      </Box>
      {told.data && told.data.one_db.length > 0 && told.data.other_db.length > 0 && (
        <svg viewBox="0 0 200 62" role="img" aria-label="Level of the octaves of both">
          {bands.map((hz, place) => {
            const wide = 200 / bands.length;
            const height = (db: number) => Math.max(1, ((db + 60) / 60) * 46);
            const values = [told.data.one_db[place], told.data.other_db[place]];
            return (
              <g key={hz}>
                {values.map((db, which) => (
                  <rect
                    // biome-ignore lint/suspicious/noArrayIndexKey: the one and the other
                    key={which}
                    x={place * wide + 2 + which * (wide / 2 - 2)}
                    y={48 - height(db)}
                    width={wide / 2 - 3}
                    height={height(db)}
                    fill={which ? colours.plum : colours.amber}
                  />
                ))}
                <text x={place * wide + wide / 2} y="59" textAnchor="middle" style={{ fontSize: 7.5 }} fill={colours.dim}>
                  {hz < 1000 ? hz : `${hz / 1000}k`}
                </text>
              </g>
            );
          })}
        </svg>
      )}
      {told.data && (
        <Box fontSize="12px" role="table" aria-label="What differs">
          {told.data.differs.map((row) => (
            <Flex key={`${row.owner} ${row.label}`} role="row" gap="8px" title={`${row.owner}: ${row.label}`}>
              <Box role="cell" color="dim" flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {row.label} of {row.owner}
              </Box>
              <Box role="cell" color="amber" fontFamily="mono" whiteSpace="nowrap">
                {said(row.one, "")}
              </Box>
              <Box role="cell" color="plum" fontFamily="mono" whiteSpace="nowrap">
                {said(row.other, row.unit)}
              </Box>
            </Flex>
          ))}
        </Box>
      )}
      <Do onClick={onBetween} hint="Draw more whose every value lies between these two">
        Draw between them
      </Do>
      <Blind key={`${one.id} ${other.id}`} one={side(one)} other={side(other)} />
    </Flex>
  );
}
