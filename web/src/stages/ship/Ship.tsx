import { Box, chakra, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Target } from "../../api/client";
import { whenDone } from "../../app/jobs";
import { useKeys } from "../../app/keys";
import { Bar, Do, Empty, Title } from "../../app/parts";
import { complain, queries, tell, useShared } from "../../app/store";
import { FIRST_TARGET } from "../../app/target";
import { useSettled } from "../../app/useSettled";
import { Report } from "./Report";
import { TargetView } from "./TargetView";

export default function Ship() {
  const project = useShared((state) => state.project);
  const library = useShared((state) => state.library);
  const sheet = useShared((state) => state.sheet);
  const go = useNavigate();
  const [targets, setTargets] = useState<Target[]>([FIRST_TARGET]);
  const [name, setName] = useState("One-shots");
  const [folder, setFolder] = useState("");
  const [report, setReport] = useState<number | null>(null);
  const state = useQuery({ queryKey: ["state"], queryFn: () => got(api.GET("/api/state")) });
  const shipments = useQuery({
    queryKey: ["shipments", library],
    queryFn: () => got(api.GET("/api/lib/{library}/shipments", { params: { path: { library } } })),
  });
  useEffect(() => {
    if (!folder && state.data) setFolder(state.data.ship_folder);
  }, [state.data, folder]);
  const asked = useSettled({ name, sounds: sheet, targets, folder, project }, 100);
  const preview = useQuery({
    queryKey: ["preview", library, asked],
    placeholderData: keepPreviousData,
    queryFn: () => got(api.POST("/api/lib/{library}/ship/preview", { params: { path: { library } }, body: asked })),
  });
  const files = preview.data?.files ?? [];
  const problems = preview.data?.problems ?? 0;
  const follow = async (started: Promise<{ job: number; id?: number | null }>) => {
    try {
      const { job, id } = await started;
      void queries.invalidateQueries({ queryKey: ["counts"] });
      const ended = await whenDone(job);
      setReport(id ?? null);
      void queries.invalidateQueries({ queryKey: ["shipment"] });
      if (ended.state === "done") {
        const result = ended.result as { files: number; unchanged: number; failed: number };
        tell(`${result.files} files, ${result.unchanged} of them unchanged, ${result.failed} failed; all were read back.`, result.failed > 0);
      }
    } catch (error) {
      complain(error);
    }
  };
  const run = () => {
    if (!sheet.length || problems) return;
    void follow(got(api.POST("/api/lib/{library}/ship", { params: { path: { library } }, body: { name, sounds: sheet, targets, folder, project } })));
  };
  useKeys({ commit: run, leave: () => setReport(null) });
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{report !== null ? "Report" : "Sheet"}</Title>
        {report === null && (
          <chakra.input
            aria-label="Name of the sheet"
            value={name}
            onChange={(event) => setName(event.target.value)}
            bg="ground"
            border="1px solid"
            borderColor="line"
            borderRadius="6px"
            px="8px"
            py="4px"
            w="170px"
          />
        )}
        <chakra.select
          aria-label="Shipments"
          value={report ?? ""}
          onChange={(event) => setReport(event.target.value ? Number(event.target.value) : null)}
          bg="transparent"
          color="dim"
          maxW="240px"
        >
          <option value="">the sheet to ship</option>
          {shipments.data
            ?.filter((one) => one.project === project)
            .map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}, {one.files} files, {one.state}
              </option>
            ))}
        </chakra.select>
        <Box flex={1} />
        {report === null ? (
          <>
            <Box fontFamily="mono" fontSize="12px" color={problems ? "coral" : "dim"} data-testid="planned">
              {files.length} {files.length === 1 ? "file" : "files"}
              {problems ? `, ${problems} with a problem` : ""}
            </Box>
            <Do disabled={!sheet.length} onClick={() => useShared.setState({ sheet: [] })}>
              Empty the sheet
            </Do>
            <Do main act="commit" disabled={!sheet.length || problems > 0} onClick={run}>
              Ship {files.length} {files.length === 1 ? "file" : "files"}
            </Do>
          </>
        ) : (
          <Do onClick={() => setReport(null)} act="leave">
            Back to the sheet
          </Do>
        )}
      </Bar>
      {report !== null ? (
        <Report
          number={report}
          onResume={() =>
            void follow(got(api.POST("/api/lib/{library}/shipments/{number}/resume", { params: { path: { library, number: report } } })))
          }
        />
      ) : (
        <Flex flex={1} minH={0}>
          {sheet.length === 0 ? (
            <Empty
              action={
                <Do main onClick={() => go("/gather")}>
                  Choose sounds in Gather
                </Do>
              }
            >
              The sheet is empty. Put sounds on it with J in Gather, or make one-shots in Slice and print variations in Vary: both come here by
              themselves.
            </Empty>
          ) : (
            <Box flex={1} minW={0} overflowY="auto" role="table" aria-label="Files to be written">
              {preview.error && (
                <Box role="alert" color="coral" p="14px">
                  {preview.error.message}
                </Box>
              )}
              {files.slice(0, 400).map((one) => (
                <Flex
                  key={`${one.item} ${one.target}`}
                  role="row"
                  align="center"
                  gap="12px"
                  px="16px"
                  minH="27px"
                  borderBottom="1px solid"
                  borderColor="line"
                >
                  <Box fontFamily="mono" fontSize="11px" color="dim" w="34px">
                    {one.item + 1}
                  </Box>
                  <Box
                    flex={1}
                    minW={0}
                    fontFamily="mono"
                    fontSize="12px"
                    overflow="hidden"
                    textOverflow="ellipsis"
                    whiteSpace="nowrap"
                    color={one.problem ? "coral" : undefined}
                    title={one.problem || one.path}
                  >
                    {one.path || "no name"}
                    {one.problem && (
                      <Box as="span" fontFamily="body" ml="12px">
                        {one.problem}
                      </Box>
                    )}
                  </Box>
                  <Box color="dim" fontSize="12px">
                    {targets[one.target]?.name}
                  </Box>
                  <Do
                    quiet
                    onClick={() => useShared.setState({ sheet: sheet.filter((_, i) => i !== one.item) })}
                    hint="Take this sound off the sheet"
                  >
                    <Box as="span" color="dim">
                      ×
                    </Box>
                  </Do>
                </Flex>
              ))}
              {files.length > 400 && (
                <Box color="dim" p="12px">
                  and {files.length - 400} more
                </Box>
              )}
            </Box>
          )}
          <TargetView targets={targets} onChange={setTargets} tokens={preview.data?.tokens ?? {}} folder={folder} onFolder={setFolder} />
        </Flex>
      )}
    </Flex>
  );
}
