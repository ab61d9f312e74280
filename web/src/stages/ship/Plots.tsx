/** Pictures of a shipment: loudness by length, and how its peaks are spread. */

import { Flex } from "@chakra-ui/react";
import { Bare } from "../../ui/buttons";
import { seconds } from "../../ui/format";
import { useInk } from "../../ui/theme";
import { type FileReport, failed, warned } from "./reports";

const [WIDE, HIGH] = [262, 150];

/** One dot a file: across length (log), up loudness. A dot is chosen by pressing it. */
export function Plot({ reports, current, onChoose }: { reports: FileReport[]; current: string | null; onChoose: (path: string) => void }) {
  const colours = useInk();
  const heard = reports.filter((one) => one.integrated_lufs != null && one.duration_s > 0);
  if (!heard.length) return null;
  const lengths = heard.map((one) => Math.log(one.duration_s));
  const louds = heard.map((one) => one.integrated_lufs as number);
  const [x0, x1] = [Math.min(...lengths) - 0.15, Math.max(...lengths) + 0.15];
  const [y0, y1] = [Math.min(...louds) - 1, Math.max(...louds) + 1];
  return (
    <svg viewBox={`0 0 ${WIDE} ${HIGH + 16}`} width="100%" style={{ flexShrink: 0 }} role="img" aria-label="Loudness by length, one dot a file">
      <rect x="0.5" y="0.5" width={WIDE - 1} height={HIGH - 1} rx="8" fill={colours.ground} stroke={colours.line} />
      {heard.map((one) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: the rows of the table are the same files, reached by keys
        <circle
          key={one.path}
          cx={((Math.log(one.duration_s) - x0) / (x1 - x0)) * WIDE}
          cy={HIGH - (((one.integrated_lufs as number) - y0) / (y1 - y0)) * HIGH}
          r={one.path === current ? 5 : 3}
          fill={failed(one).length ? colours.coral : warned(one).length || one.path === current ? colours.amber : colours.glass}
          fillOpacity={one.path === current ? 1 : 0.75}
          cursor="pointer"
          onClick={() => onChoose(one.path)}
        >
          <title>{`${one.path}, ${seconds(one.duration_s)}, ${one.integrated_lufs} LUFS`}</title>
        </circle>
      ))}
      <text x="0" y={HIGH + 13} style={{ fontSize: 9 }} fill={colours.dim} fontFamily="JetBrains Mono Variable">
        {seconds(Math.exp(x0))}, {y0.toFixed(0)} to {y1.toFixed(0)} LUFS
      </text>
      <text x={WIDE} y={HIGH + 13} style={{ fontSize: 9 }} textAnchor="end" fill={colours.dim} fontFamily="JetBrains Mono Variable">
        {seconds(Math.exp(x1))}
      </text>
    </svg>
  );
}

const [LOWEST, STEP, BINS] = [-30, 3, 11];

/** How many files peak where, 3 dB a bar; a bar chooses its files. */
export function PeakBars({ reports, onChoose }: { reports: FileReport[]; onChoose: (paths: string[]) => void }) {
  const bins: string[][] = Array.from({ length: BINS }, () => []);
  for (const one of reports) {
    if (one.sample_peak_dbfs == null) continue;
    bins[Math.max(0, Math.min(BINS - 1, Math.floor((one.sample_peak_dbfs - LOWEST) / STEP)))].push(one.path);
  }
  const most = Math.max(1, ...bins.map((paths) => paths.length));
  const told = (i: number) =>
    i === 0 ? `under ${LOWEST + STEP} dBFS` : i === BINS - 1 ? "0 dBFS or over" : `${LOWEST + i * STEP} to ${LOWEST + (i + 1) * STEP} dBFS`;
  return (
    <>
      <Flex role="group" aria-label="Peaks of all files" h="56px" flexShrink={0} align="end" gap="2px" borderBottom="1px solid" borderColor="line">
        {bins.map((paths, i) => (
          <Bare
            // biome-ignore lint/suspicious/noArrayIndexKey: bars have fixed places
            key={i}
            flex={1}
            minW={0}
            h={`${paths.length ? Math.max(4, (paths.length / most) * 54) : 0}px`}
            bg={i === BINS - 1 ? "coral" : "glass"}
            opacity={0.75}
            borderRadius="2px 2px 0 0"
            disabled={!paths.length}
            aria-label={`${paths.length} files peak at ${told(i)}`}
            title={`${paths.length} peak at ${told(i)}`}
            onClick={() => onChoose(paths)}
          />
        ))}
      </Flex>
      <Flex justify="space-between" color="dim" fontFamily="mono" fontSize="9px">
        <span>{LOWEST} dBFS</span>
        <span>{LOWEST / 2}</span>
        <span>0</span>
      </Flex>
    </>
  );
}
