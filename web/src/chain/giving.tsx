/** A saved chain put on many sounds: asked for, followed as a job, told in a report. */
import { Box, Table } from "@chakra-ui/react";
import { create } from "zustand";
import { api, got, type Schemas } from "../api/client";
import { whenDone } from "../session/jobs";
import { queries, useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { level } from "../ui/format";
import { complain, tell } from "../ui/messages";
import { ReportPanel } from "../ui/ReportPanel";

type Row = Schemas["Outcome"];

const useGiven = create<{ title: string; rows: Row[] | null }>(() => ({ title: "", rows: null }));

export async function giveChain(chain: number, body: Partial<Schemas["Giving"]>) {
  const { library } = useShared.getState();
  try {
    const started = await got(
      api.POST("/api/lib/{library}/chains/{id}/give", {
        params: { path: { library, id: chain } },
        body: { ids: [], linked: false, after: false, ...body },
      }),
    );
    const { title, result } = await whenDone(started.job, "chain");
    if (!result) return;
    const { rows } = result;
    for (const key of ["chains", "sounds", "sound", "mend", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
    const left = rows.filter((row) => row.reason).length;
    const over = rows.filter((row) => row.over).length;
    tell(`${title}: ${rows.length - left} done${left ? `, ${left} left as they were` : ""}${over ? `, ${over} go over full scale` : ""}.`, left > 0);
    if (rows.length > 1) useGiven.setState({ title, rows });
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
    <ReportPanel
      label="What the chain did"
      title={title}
      more={
        <Do quiet onClick={save}>
          Save as CSV
        </Do>
      }
      onClose={close}
    >
      <Box overflow="auto" tabIndex={0}>
        <Table.Root aria-label="Sounds the chain was put on">
          <Table.Header>
            <Table.Row>
              <Table.ColumnHeader>Sound</Table.ColumnHeader>
              <Table.ColumnHeader>Peak before, after</Table.ColumnHeader>
              <Table.ColumnHeader>Loudness before, after</Table.ColumnHeader>
              <Table.ColumnHeader>Left or warned because</Table.ColumnHeader>
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {sorted.map((row) => (
              <Table.Row key={row.id}>
                <Table.Cell>{row.name}</Table.Cell>
                <Table.Cell fontFamily="mono">
                  {level(row.before_dbfs)}, {level(row.after_dbfs)} dBFS
                </Table.Cell>
                <Table.Cell fontFamily="mono">
                  {level(row.before_lufs)}, {level(row.after_lufs)} LUFS
                </Table.Cell>
                <Table.Cell color="coral">{row.reason || (row.over ? "over full scale" : "")}</Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
      </Box>
    </ReportPanel>
  );
}
