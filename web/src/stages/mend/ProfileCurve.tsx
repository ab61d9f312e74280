/** The learned noise profile as a curve under the live spectrum, with the parts it comes from. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, got, type Node, type Step, slowly } from "../../api/client";
import { player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useDrawing } from "../../listening/useDrawing";
import { Do } from "../../ui/buttons";
import { ink } from "../../ui/theme";
import { useSettled } from "../../ui/useSettled";

/** The browser's spectrum is of a Blackman window over its length, ours of a Hann window's root: what noise reads lower there (dB). */
const ANALYSER_DB = 10 * Math.log10(8 / 0.3046);
const SPAN_DB = 96;

type Part = [number, number];

export function ProfileCurve({
  library,
  base,
  chain,
  marked,
  onParts,
}: {
  library: string;
  base: Node;
  chain: Step[];
  /** The part marked on the waveform, where its time is that of the sound. */
  marked: Part | null;
  onParts: (parts: Part[]) => void;
}) {
  const settled = useSettled(chain, 120);
  const last = settled[settled.length - 1];
  const partsOf = (step: Step | undefined) => (step?.params as { parts?: Part[] } | undefined)?.parts ?? [];
  const elsewhere = !!chain[chain.length - 1]?.learned_on;
  const parts = elsewhere ? [] : partsOf(chain[chain.length - 1]);
  const profile = useQuery({
    queryKey: ["profile", library, base, settled.slice(0, -1), partsOf(last), last?.learned_on],
    enabled: last?.kind === "noise_reduction" && last.on,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      slowly(signal, () =>
        got(api.POST("/api/lib/{library}/mend/profile", { params: { path: { library } }, body: { node: base, chain: settled }, signal })),
      ),
  });
  const canvas = useRef<HTMLCanvasElement>(null);
  const bins = useRef(new Float32Array(1024)).current;
  const redraw = useDrawing(canvas, (pen, width, height) => {
    const data = profile.data;
    if (!data) return;
    const colours = ink();
    const x = (hz: number) => (Math.log(hz / 40) / Math.log(20_000 / 40)) * width;
    const top = Math.max(...data.dbfs) + 44;
    const y = (db: number) => Math.min(height, Math.max(0, ((top - db) / SPAN_DB) * height));
    if (player.analyser && useListening.getState().playing) {
      player.analyser.getFloatFrequencyData(bins);
      const gain = player.gainDb();
      pen.strokeStyle = colours.glass;
      pen.lineWidth = 1;
      pen.beginPath();
      for (let i = 2; i < bins.length; i++) pen.lineTo(x((i * player.rate) / 2048), y(bins[i] + ANALYSER_DB - gain));
      pen.stroke();
    }
    pen.strokeStyle = colours.coral;
    pen.lineWidth = 1.6;
    pen.beginPath();
    for (const [i, hz] of data.hz.entries()) pen.lineTo(x(hz), y(data.dbfs[i]));
    pen.stroke();
    pen.fillStyle = colours.dim;
    pen.font = "9px 'JetBrains Mono Variable', monospace";
    for (const hz of [100, 1000, 10_000]) pen.fillText(hz >= 1000 ? `${hz / 1000}k` : `${hz}`, x(hz), height - 2);
    pen.fillText(`${top.toFixed(0)} dBFS`, 2, 9);
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn anew for another profile, also while nothing plays
  useEffect(redraw, [profile.data]);
  const said = (part: Part) => `${part[0].toFixed(2)} to ${part[1].toFixed(2)} s`;
  return (
    <Box>
      <Box color="dim" fontSize="12px" mb="3px">
        {profile.error
          ? profile.error.message
          : profile.data
            ? elsewhere
              ? "Learned on another sound: the take this was cut from, or the one the chain was kept on"
              : parts.length
                ? `Learned from ${parts.length === 1 ? "the marked part" : `${parts.length} marked parts`}`
                : `Learned from the quietest stretch found, ${said(profile.data.parts[0])}`
            : "Learning the profile …"}
      </Box>
      <chakra.canvas ref={canvas} w="100%" h="92px" bg="sheet" borderRadius="6px" role="img" aria-label="Noise profile under the live spectrum" />
      <Flex gap="4px" wrap="wrap" mt="4px" align="center">
        {parts.map((part, i) => (
          <Do key={said(part)} quiet hint="Take this part out of the profile" onClick={() => onParts(parts.filter((_, k) => k !== i))}>
            <Box as="span" fontFamily="mono" fontSize="11px">
              {said(part)} ✕
            </Box>
          </Do>
        ))}
        <Do
          quiet
          disabled={!marked}
          hint={marked ? "Learn from the marked part too" : "Mark a stretch on the waveform where only noise is heard"}
          onClick={() => marked && onParts([...parts, [Number(marked[0].toFixed(4)), Number(marked[1].toFixed(4))]])}
        >
          {parts.length ? "Learn from the mark too" : "Learn from the mark"}
        </Do>
        {(parts.length > 0 || elsewhere) && (
          <Do quiet hint="Learn from the quietest stretch that is found" onClick={() => onParts([])}>
            Quietest
          </Do>
        )}
      </Flex>
    </Box>
  );
}
