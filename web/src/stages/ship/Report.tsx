/** What was read back of a shipment: failures first, heard as it was written and as it was meant. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { openToHear } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose, Pick } from "../../ui/choices";
import { level, seconds } from "../../ui/format";
import { Empty, Fact, Facts, Heading, Line, Side } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Beside } from "../../ui/Panes";
import { Table, type TableColumn } from "../../ui/Table";
import { useTable } from "../../ui/useTable";
import { folderOf } from "./files";
import { PeakBars, Plot } from "./Plots";
import { type FileReport, failed, type ReportRow, warned } from "./reports";

const WORST = "Checks";

const found = (row: ReportRow): string =>
  row.report
    ? [...failed(row.report), ...warned(row.report)].map((check) => `${check.name}: ${check.note}`).join("; ") || "all checks passed"
    : (row.reason ?? "");

const COLUMNS: readonly TableColumn<ReportRow>[] = [
  {
    name: WORST,
    width: 62,
    hint: "Failures first",
    value: (row) => (row.report ? (failed(row.report).length ? 1 : warned(row.report).length ? 2 : 3) : 0),
    cell: (row) => (!row.report || failed(row.report).length ? "failed" : warned(row.report).length ? "see" : "good"),
  },
  {
    name: "Waveform",
    width: 70,
    value: (row) => row.path,
    cell: (row) => row.report?.outline && <MiniWave outline={row.report.outline} height={21} />,
  },
  { name: "File", value: (row) => row.path },
  { name: "Length", width: 58, value: (row) => row.report?.duration_s, cell: (row) => (row.report ? seconds(row.report.duration_s) : "") },
  {
    name: "Peak",
    width: 62,
    hint: "Sample peak, dBFS",
    value: (row) => row.report?.sample_peak_dbfs,
    cell: (row) => level(row.report?.sample_peak_dbfs),
  },
  {
    name: "True peak",
    width: 66,
    roomy: true,
    hint: "dBTP",
    value: (row) => row.report?.true_peak_dbtp,
    cell: (row) => level(row.report?.true_peak_dbtp),
  },
  { name: "Loudness", width: 66, hint: "LUFS", value: (row) => row.report?.integrated_lufs, cell: (row) => level(row.report?.integrated_lufs) },
  { name: "What was found", width: 200, plain: true, value: found },
  { name: "Why written", width: 150, roomy: true, plain: true, value: (row) => row.report?.why },
];

const GROUPS: Record<string, (row: ReportRow) => string> = {
  folder: (row) => folderOf(row.path) || "no folder",
  target: (row) => row.report?.target ?? "not written",
  category: (row) => row.report?.category || "no category",
  "what was found": found,
};

const keyOf = (row: ReportRow) => row.path;

/** One file in all that is known of it. */
function Told({ report }: { report: FileReport }) {
  return (
    <>
      <Heading>{report.name}</Heading>
      <Facts>
        {report.checks.map((check) => (
          <Fact key={check.name} name={check.name}>
            <Box as="span" color={check.ok ? undefined : check.warning ? "amber" : "coral"} whiteSpace="normal">
              {check.note}
            </Box>
          </Fact>
        ))}
      </Facts>
      {report.why && (
        <Box color="dim" fontSize="12px">
          {report.why === "nothing of it changed" ? "Not written again: nothing of it changed." : `Written because ${report.why}.`}
        </Box>
      )}
      {(report.sources ?? []).length > 0 && (
        <Box color="dim" fontSize="12px">
          From {(report.sources ?? []).map((one) => `${one.name || "a sound that is gone"}${one.rights ? ` (${one.rights})` : ""}`).join(", ")}
        </Box>
      )}
      <Box color="dim" fontFamily="mono" fontSize="11px" overflowWrap="anywhere">
        SHA-256 {report.sha256}
      </Box>
    </>
  );
}

export function Report({ number, onResume }: { number: number; onResume: () => void }) {
  const library = useShared((state) => state.library);
  const [as, setAs] = useState<"written" | "meant">("written");
  const path = { library, id: number };
  const view = useQuery({
    queryKey: ["shipment", library, number],
    queryFn: () => got(api.GET("/api/lib/{library}/shipments/{id}", { params: { path } })),
  });
  const rows = useMemo((): ReportRow[] => {
    if (!view.data) return [];
    const made = new Set(view.data.reports.map((one) => one.path));
    return [...view.data.failures.filter((one) => !made.has(one.path)), ...view.data.reports.map((report) => ({ path: report.path, report }))];
  }, [view.data]);
  const { choosing, chooseAll, table, grouping } = useTable(rows, COLUMNS, GROUPS, keyOf, WORST);
  /** What was asked to be heard last: an answer that comes later than that of another row is not heard. */
  const last = useRef("");
  /** A file as it was written or meant; ``there`` goes on where the other was. */
  const hear = async (key: string | null, how: "written" | "meant", there = false) => {
    if (key === null || !rows.find((row) => row.path === key)?.report) return;
    last.current = `${how} ${key}`;
    try {
      const body = { path: key };
      const found = await got(api.POST("/api/lib/{library}/shipments/{id}/heard", { params: { path }, body }));
      if (last.current !== `${how} ${key}`) return;
      const node = how === "written" ? found.written : found.meant;
      if (!node) return tell("What it was meant to be is not there any more.", true);
      const heard = await openToHear({ node }, library, `${key}, as ${how}`);
      if (heard) await player.play(heard, there ? Math.min(live.position / heard.opened.rate, heard.opened.frames / heard.opened.rate) : 0);
    } catch (error) {
      complain(error);
    }
  };
  const swap = (how: "written" | "meant") => {
    setAs(how);
    void hear(choosing.current, how, true);
  };
  useKeys({
    next: (event) => void hear(choosing.step(1, event.shiftKey), as),
    previous: (event) => void hear(choosing.step(-1, event.shiftKey), as),
    chooseAll,
    bypass: () => swap(as === "written" ? "meant" : "written"),
  });
  if (!view.data) return view.error ? <Empty>{view.error.message}</Empty> : null;
  const { reports, failures, unchanged, folder, state } = view.data;
  const manifest = (table: boolean) => window.open(`/api/lib/${library}/shipments/${number}/manifest?table=${table}`, "_self");
  const one = reports.find((report) => report.path === choosing.current);
  const choose = (key: string) => {
    choosing.choose(key);
    void hear(key, as);
  };
  return (
    <Beside
      name="report"
      label="the summary"
      width={290}
      side={
        <Side label="Summary">
          <Heading>Loudness by length</Heading>
          <Plot reports={reports} current={choosing.current} onChoose={choose} />
          <Heading>Peaks</Heading>
          <PeakBars reports={reports} onChoose={choosing.chooseThese} />
          <Line />
          {one ? (
            <Told report={one} />
          ) : (
            <Facts>
              <Fact name="State">{state}</Fact>
              <Fact name="Files read back">{reports.length}</Fact>
              <Fact name="Unchanged">{unchanged.length}</Fact>
              <Fact name="Failed">{failures.length}</Fact>
              <Fact name="To be looked at">{reports.filter((report) => !failed(report).length && warned(report).length).length}</Fact>
            </Facts>
          )}
          <Line />
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
      <Table
        label="Report"
        {...table}
        onChoose={(key, how) => (how === "one" ? choose(key) : choosing.choose(key, how))}
        wrong={(row) => !row.report || failed(row.report).length > 0}
      >
        <Flex px="16px" py="5px" gap="12px" align="center" fontSize="12px">
          <Choose {...grouping} w="170px" />
          <Flex align="center" gap="6px" css={{ "& > div": { display: "flex", alignItems: "center", gap: "8px" } }}>
            <Pick label="Heard as" value={as} options={["written", "meant"] as const} onChange={swap} />
          </Flex>
        </Flex>
      </Table>
    </Beside>
  );
}
