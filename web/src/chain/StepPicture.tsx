/** What a step does with its settings, drawn by the server: a curve, a response, an envelope. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got, type Schemas, type Step } from "../api/client";
import { useSettled } from "../ui/useSettled";

type Picture = Schemas["Picture"];

const WIDE = 100;
const HIGH = 46;
const INKS = ["glass", "amber", "sky"] as const;

function short(value: number): string {
  if (Math.abs(value) >= 1000) return `${Number((value / 1000).toPrecision(2))}k`;
  return String(Number(value.toPrecision(2)));
}

/** Points of a line within the frame. */
function points(picture: Picture, line: Picture["lines"][number], from: number, to: number): string {
  const x = (value: number) => (picture.log ? Math.log(value / from) / Math.log(to / from) : (value - from) / (to - from));
  const y = (value: number) => 1 - (Math.min(picture.high, Math.max(picture.low, value)) - picture.low) / (picture.high - picture.low);
  return line.x.map((value, i) => `${(x(value) * WIDE).toFixed(2)},${(1 + y(line.y[i]) * (HIGH - 2)).toFixed(2)}`).join(" ");
}

export function StepPicture({ step, label, rate }: { step: Step; label: string; rate: number }) {
  const params = useSettled(step.params, 80);
  const drawn = useQuery({
    queryKey: ["picture", step.kind, params, rate],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => got(api.POST("/api/steps/picture", { body: { kind: step.kind, params: params as Record<string, unknown>, rate } })),
  });
  const picture = drawn.data;
  if (!picture?.lines.length) return null;
  const from = Math.min(...picture.lines.map((line) => line.x[0]));
  const to = Math.max(...picture.lines.map((line) => line.x[line.x.length - 1]));
  const zero = picture.low < 0 && picture.high > 0 ? 1 + (picture.high / (picture.high - picture.low)) * (HIGH - 2) : null;
  const named = picture.lines.filter((line) => line.name);
  return (
    <Box data-testid="picture">
      <Box asChild w="100%" h="74px" bg="sheet" borderRadius="6px" color="line">
        <svg
          viewBox={`0 0 ${WIDE} ${HIGH}`}
          preserveAspectRatio="none"
          role="img"
          aria-label={`${label}, drawn: ${picture.up} over ${picture.across}`}
        >
          {zero !== null && <line x1={0} x2={WIDE} y1={zero} y2={zero} stroke="currentColor" vectorEffect="non-scaling-stroke" />}
          {picture.diagonal && (
            <line x1={0} y1={HIGH - 1} x2={WIDE} y2={1} stroke="currentColor" strokeDasharray="3 3" vectorEffect="non-scaling-stroke" />
          )}
          {picture.lines.map((line, i) => (
            <Box asChild key={line.name || i} color={INKS[i % INKS.length]}>
              <polyline
                points={points(picture, line, from, to)}
                fill="none"
                stroke="currentColor"
                strokeWidth="1.5"
                vectorEffect="non-scaling-stroke"
              />
            </Box>
          ))}
        </svg>
      </Box>
      <Flex justify="space-between" color="dim" fontSize="10px" fontFamily="mono" mt="2px" gap="6px">
        <span>{short(from)}</span>
        {named.length > 1 ? (
          <Flex gap="8px">
            {named.map((line) => (
              <Box key={line.name} color={INKS[picture.lines.indexOf(line) % INKS.length]}>
                {line.name}
              </Box>
            ))}
          </Flex>
        ) : (
          <span>
            {picture.up ? `${picture.up}, ` : ""}
            {short(picture.low)} to {short(picture.high)}
          </span>
        )}
        <span>
          {short(to)} {picture.across}
        </span>
      </Flex>
    </Box>
  );
}
