/** A saved chain put on many sounds: asked for, followed as a job, told in a report. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { create } from "zustand";
import { api, got, type Schemas } from "../api/client";
import { level } from "./format";
import { whenDone } from "./jobs";
import { useKeys } from "./keys";
import { Do, Heading } from "./parts";
import { complain, queries, tell, useShared } from "./store";

interface Row {
  id: number;
  name: string;
  before_dbfs: number | null;
  after_dbfs: number | null;
  before_lufs: number | null;
  after_lufs: number | null;
  over: boolean;
  reason: string;
}

const useGiven = create<{ title: string; rows: Row[] | null }>(() => ({ title: "", rows: null }));

export async function giveChain(chain: number, body: Partial<Schemas["Giving"]>) {
  const { library } = useShared.getState();
  try {
    const started = await got(
      api.POST("/api/lib/{library}/chains/{number}/give", {
        params: { path: { library, number: chain } },
        body: { ids: [], linked: false, after: false, ...body } as Schemas["Giving"],
      }),
    );
    const job = await whenDone(started.job);
    if (job.state !== "done") return;
    const { rows } = job.result as unknown as { rows: Row[] };
    for (const key of ["chains", "sounds", "sound", "mend", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
    const left = rows.filter((row) => row.reason).length;
    const over = rows.filter((row) => row.over).length;
    tell(
      `${job.title}: ${rows.length - left} done${left ? `, ${left} left as they were` : ""}${over ? `, ${over} go over full scale` : ""}.`,
      left > 0,
    );
    if (rows.length > 1) useGiven.setState({ title: job.title, rows });
    else if (left) tell(rows[0].reason, true);
  } catch (error) {
    complain(error);
  }
}

function table(rows: Row[]): string {
  const quoted = (text: string) => `"${text.replaceAll('"', '""')}"`;
  const lines = rows.map((row) =>
    [
      row.id,
      quoted(row.name),
      row.before_dbfs ?? "",
      row.after_dbfs ?? "",
      row.before_lufs ?? "",
      row.after_lufs ?? "",
      row.over ? "yes" : "",
      quoted(row.reason),
    ].join(","),
  );
  return `${["id,name,peak_before_dbfs,peak_after_dbfs,loudness_before_lufs,loudness_after_lufs,over_full_scale,left_because", ...lines].join("\n")}\n`;
}

/** What became of the sounds a chain was put on: failures first. */
export function GivenReport() {
  const { title, rows } = useGiven();
  const close = () => useGiven.setState({ rows: null });
  useKeys({ leave: close }, { on: rows !== null, over: true });
  if (!rows) return null;
  const sorted = [...rows].sort((a, b) => Number(!!b.reason) - Number(!!a.reason) || Number(b.over) - Number(a.over));
  const save = () => {
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([table(rows)], { type: "text/csv" }));
    link.download = `${title}.csv`;
    link.click();
    URL.revokeObjectURL(link.href);
  };
  return (
    <Flex
      role="region"
      aria-label="What the chain did"
      direction="column"
      position="absolute"
      right="14px"
      bottom="14px"
      w="560px"
      maxH="70%"
      p="14px"
      gap="8px"
      bg="raised"
      border="1px solid"
      borderColor="line"
      borderRadius="10px"
      zIndex={15}
    >
      <Flex gap="8px" align="center">
        <Heading>{title}</Heading>
        <Box flex={1} />
        <Do quiet onClick={save}>
          Save as CSV
        </Do>
        <Do quiet act="leave" onClick={close}>
          Close
        </Do>
      </Flex>
      <Box overflow="auto" tabIndex={0}>
        <chakra.table w="100%" fontSize="12px">
          <chakra.thead color="dim" textAlign="left">
            <tr>
              <th>Sound</th>
              <th>Peak before, after</th>
              <th>Loudness before, after</th>
              <th />
            </tr>
          </chakra.thead>
          <tbody>
            {sorted.map((row) => (
              <chakra.tr key={row.id} borderTop="1px solid" borderColor="line">
                <td>{row.name}</td>
                <chakra.td fontFamily="mono">
                  {level(row.before_dbfs)}, {level(row.after_dbfs)} dBFS
                </chakra.td>
                <chakra.td fontFamily="mono">
                  {level(row.before_lufs)}, {level(row.after_lufs)} LUFS
                </chakra.td>
                <chakra.td color="coral">{row.reason || (row.over ? "over full scale" : "")}</chakra.td>
              </chakra.tr>
            ))}
          </tbody>
        </chakra.table>
      </Box>
    </Flex>
  );
}
