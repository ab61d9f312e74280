import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { level, seconds } from "../../ui/format";
import { Empty, Fact, Facts, Heading, Line, Side } from "../../ui/frames";
import { Beside } from "../../ui/Panes";
import { useInk } from "../../ui/theme";

type FileReport = Schemas["FileReport"];

const failed = (one: FileReport) => one.checks.filter((check) => !check.ok && !check.warning);
const warned = (one: FileReport) => one.checks.filter((check) => !check.ok && check.warning);

/** One dot a file: across length (log), up loudness. */
function Plot({ reports }: { reports: FileReport[] }) {
  const colours = useInk();
  const heard = reports.filter((one) => one.integrated_lufs != null);
  if (!heard.length) return null;
  const lengths = heard.map((one) => Math.log(one.duration_s));
  const louds = heard.map((one) => one.integrated_lufs as number);
  const [x0, x1] = [Math.min(...lengths) - 0.15, Math.max(...lengths) + 0.15];
  const [y0, y1] = [Math.min(...louds) - 1, Math.max(...louds) + 1];
  return (
    <svg viewBox="0 0 262 170" role="img" aria-label="Loudness by length, one dot a file">
      <rect x="0.5" y="0.5" width="261" height="169" rx="8" fill={colours.ground} stroke={colours.line} />
      {heard.map((one) => (
        <circle
          key={one.path}
          cx={((Math.log(one.duration_s) - x0) / (x1 - x0)) * 262}
          cy={170 - (((one.integrated_lufs as number) - y0) / (y1 - y0)) * 170}
          r="3"
          fill={failed(one).length ? colours.coral : warned(one).length ? colours.amber : colours.glass}
          fillOpacity="0.8"
        >
          <title>{`${one.path}, ${seconds(one.duration_s)}, ${one.integrated_lufs} LUFS`}</title>
        </circle>
      ))}
      <text x="6" y="13" style={{ fontSize: 9 }} fill={colours.dim} fontFamily="JetBrains Mono Variable">
        {y1.toFixed(0)} LUFS
      </text>
      <text x="6" y="164" style={{ fontSize: 9 }} fill={colours.dim} fontFamily="JetBrains Mono Variable">
        {y0.toFixed(0)} LUFS, {seconds(Math.exp(x0))}
      </text>
      <text x="256" y="164" style={{ fontSize: 9 }} textAnchor="end" fill={colours.dim} fontFamily="JetBrains Mono Variable">
        {seconds(Math.exp(x1))}
      </text>
    </svg>
  );
}

/** What was read back of a shipment, failures first. */
export function Report({ number, onResume }: { number: number; onResume: () => void }) {
  const library = useShared((state) => state.library);
  const view = useQuery({
    queryKey: ["shipment", library, number],
    queryFn: () => got(api.GET("/api/lib/{library}/shipments/{id}", { params: { path: { library, id: number } } })),
  });
  if (!view.data) return view.error ? <Empty>{view.error.message}</Empty> : null;
  const { reports, failures, unchanged, folder, state } = view.data;
  const order = [...reports].sort(
    (a, b) => failed(b).length - failed(a).length || warned(b).length - warned(a).length || a.path.localeCompare(b.path),
  );
  const manifest = (table: boolean) => window.open(`/api/lib/${library}/shipments/${number}/manifest?table=${table}`, "_self");
  return (
    <Beside
      name="report"
      label="the summary"
      width={290}
      side={
        <Side label="Summary">
          <Heading>Loudness by length</Heading>
          <Plot reports={reports} />
          <Line />
          <Facts>
            <Fact name="State">{state}</Fact>
            <Fact name="Files read back">{reports.length}</Fact>
            <Fact name="Unchanged">{unchanged.length}</Fact>
            <Fact name="Failed">{failures.length}</Fact>
            <Fact name="May click">{reports.filter((one) => warned(one).some((check) => check.name === "edges")).length}</Fact>
          </Facts>
          <Box color="dim" fontFamily="mono" fontSize="11px" overflowWrap="anywhere">
            {folder}
          </Box>
          <Flex gap="6px" wrap="wrap">
            <Do onClick={() => manifest(false)}>Manifest, JSON</Do>
            <Do onClick={() => manifest(true)}>CSV</Do>
            <Do onClick={() => window.open(`/api/lib/${library}/shipments/${number}/page`, "_self")} hint="All of this as one page">
              Page, HTML
            </Do>
          </Flex>
          <Do onClick={onResume} hint="Files that have not changed are left as they are">
            {state === "interrupted" ? "Go on with it" : "Ship again what changed"}
          </Do>
        </Side>
      }
    >
      <Box flex={1} minW={0} overflowY="auto" role="table" aria-label="Report" tabIndex={0}>
        {failures
          .filter((one) => !reports.some((made) => made.path === one.path))
          .map((one) => (
            <Flex key={one.path} role="row" px="16px" minH="28px" gap="12px" align="center" color="coral" borderBottom="1px solid" borderColor="line">
              <Box role="cell" fontFamily="mono" fontSize="12px">
                {one.path}
              </Box>
              <Box role="cell">{one.reason}</Box>
            </Flex>
          ))}
        {order.slice(0, 500).map((one) => (
          <Flex
            key={one.path}
            role="row"
            px="16px"
            minH="27px"
            gap="12px"
            align="center"
            borderBottom="1px solid"
            borderColor="line"
            fontFamily="mono"
            fontSize="12px"
          >
            <Box role="cell" color={failed(one).length ? "coral" : "glass"} w="16px" title={failed(one).length ? "failed" : "checked"}>
              {failed(one).length ? "!" : "✓"}
            </Box>
            <Box role="cell" flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={`SHA-256 ${one.sha256}`}>
              {one.path}
            </Box>
            <Box role="cell" w="64px">
              {seconds(one.duration_s)}
            </Box>
            <Box role="cell" w="96px">
              {level(one.sample_peak_dbfs, "dBFS")}
            </Box>
            <Box role="cell" w="96px">
              {level(one.integrated_lufs, "LUFS")}
            </Box>
            <Box role="cell" w="190px" color="dim" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" fontFamily="body">
              {[...failed(one), ...warned(one)].map((check) => `${check.name}: ${check.note}`).join("; ") ||
                (unchanged.includes(one.path) ? "unchanged" : "all checks passed")}
            </Box>
          </Flex>
        ))}
        {order.length > 500 && (
          <Box p="12px" color="dim" role="row">
            and {order.length - 500} more, in the manifest
          </Box>
        )}
      </Box>
    </Beside>
  );
}
