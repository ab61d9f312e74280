import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas } from "../../api/client";
import { STATE } from "../../api/questions";
import { countOf, type Sheet, type SheetKept, sheetKey, useSheet } from "../../between/sheet";
import { UndoRedo } from "../../documents/UndoRedo";
import { useDocument } from "../../documents/useDocument";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input } from "../../ui/fields";
import { Bar, Empty, Line, Side, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Beside } from "../../ui/Panes";
import { useSettled } from "../../ui/useSettled";
import { Along } from "./Along";
import { rowsOf, without } from "./files";
import { Problems } from "./Problems";
import { ReadySheets } from "./ReadySheets";
import { Report } from "./Report";
import { Running } from "./Running";
import { SheetTable } from "./SheetTable";
import { TargetView } from "./TargetView";
import { Where } from "./Where";

export default function Ship() {
  const project = useShared((state) => state.project);
  const library = useShared((state) => state.library);
  const { data: loaded, error } = useSheet();
  if (loaded) return <SheetBoard key={`${library} ${project}`} library={library} project={project} loaded={loaded} />;
  return error ? <Empty>{error.message}</Empty> : null;
}

function SheetBoard({ library, project, loaded }: { library: string; project: number; loaded: SheetKept }) {
  const history = useDocument({
    kind: "sheet",
    id: project,
    first: loaded.sheet,
    revision: loaded.revision,
    called: "The sheet",
    docOf: (shown) => shown.sheet,
    bodyOf: (sheet: Sheet) => sheet,
    onShown: (shown) => queries.setQueryData(sheetKey(library, project), shown),
  });
  const kept = history.doc ?? loaded.sheet;
  const changeSheet = (values: Partial<Sheet>, gesture?: string) => history.change({ ...(history.now() ?? kept), ...values }, gesture);
  const empty = countOf(kept) === 0;
  const targets = kept.targets;
  const name = kept.name ?? "";
  const go = useNavigate();
  const [report, setReport] = useState<number | null>(null);
  const [over, setOver] = useState(0);
  const state = useQuery(STATE);
  const shipments = useQuery({
    queryKey: ["shipments", library],
    queryFn: () => got(api.GET("/api/lib/{library}/shipments", { params: { path: { library } } })),
  });
  const folder = kept.folder || (state.data?.ship_folder ?? "");
  const [show, setShow] = useState<number | null>(null);
  const [only, setOnly] = useState<Schemas["Noted"] | null>(null);
  const wanted = useMemo(() => ({ ...kept, name: name || "One-shots", folder, project }) as Schemas["ToShip"], [kept, name, folder, project]);
  const asked = useSettled(wanted, 100);
  const preview = useQuery({
    queryKey: ["preview", library, asked],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => got(api.POST("/api/lib/{library}/ship/preview", { params: { path: { library } }, body: asked, signal })),
  });
  const tokens = useQuery({
    queryKey: ["tokens", library, asked, show],
    enabled: show !== null,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => got(api.POST("/api/lib/{library}/ship/tokens", { params: { path: { library } }, body: { ...asked, show }, signal })),
  });
  const files = preview.data?.files ?? [];
  const problems = preview.data?.problems ?? 0;
  const noted = preview.data?.noted.find((one) => one.what === only?.what);
  const items = useMemo(() => (noted ? new Set(noted.items) : null), [noted]);
  const follow = async (started: Promise<{ job: number; id?: number | null; counted?: Record<string, Record<string, number>> }>) => {
    try {
      const { job, id, counted } = await started;
      if (counted && Object.keys(counted).length) changeSheet({ counted });
      void queries.invalidateQueries({ queryKey: ["counts"] });
      const { result } = await whenDone(job, "ship");
      setReport(id ?? null);
      void queries.invalidateQueries({ queryKey: ["shipment"] });
      if (result) {
        tell(`${result.files} files, ${result.unchanged} of them unchanged, ${result.failed} failed; all were read back.`, result.failed > 0);
        setOver(result.over.length);
      }
    } catch (error) {
      complain(error);
    }
  };
  const run = () => {
    if (empty || problems) return;
    void follow(got(api.POST("/api/lib/{library}/ship", { params: { path: { library } }, body: wanted })));
  };
  /** Ship again with what goes over full scale lowered or limited: what is written already is unchanged. */
  const again = async (way: "lower" | "limit") => {
    const next = targets.map((one) => ({ ...one, over: way }));
    changeSheet({ targets: next });
    setOver(0);
    await follow(got(api.POST("/api/lib/{library}/ship", { params: { path: { library } }, body: { ...wanted, targets: next } })));
  };
  useKeys({ commit: run, leave: () => setReport(null), undo: history.undo, redo: history.redo });
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{report !== null ? "Report" : "Sheet"}</Title>
        {report === null && (
          <Input label="Name of the sheet" value={name} onChange={(event) => changeSheet({ name: event.target.value }, "name")} w="170px" />
        )}
        <Choose
          label="Shipments"
          value={report === null ? "" : String(report)}
          onChange={(id) => setReport(id ? Number(id) : null)}
          maxW="240px"
          options={[
            ["", "the sheet to ship"],
            ...(shipments.data ?? [])
              .filter((one) => one.project === project)
              .map((one) => [String(one.id), `${one.name}, ${one.files} files, ${one.state}`] as const),
          ]}
        />
        {report === null && <ReadySheets library={library} sheet={kept} onUse={changeSheet} />}
        <Box flex={1} />
        {report === null ? (
          <>
            <Box fontFamily="mono" fontSize="12px" color={problems ? "coral" : "dim"} data-testid="planned">
              {files.length} {files.length === 1 ? "file" : "files"}
              {problems ? `, ${problems} with a problem` : ""}
            </Box>
            <UndoRedo history={history} />
            <Do
              disabled={empty}
              onClick={() => changeSheet({ sounds: [], designs: [], draws: [], versions: [], heard: {}, allowed: [], counted: {} })}
            >
              Empty the sheet
            </Do>
            <Do main act="commit" disabled={empty || problems > 0} onClick={run}>
              Ship {files.length} {files.length === 1 ? "file" : "files"}
            </Do>
          </>
        ) : (
          <Do onClick={() => setReport(null)} act="leave">
            Back to the sheet
          </Do>
        )}
      </Bar>
      <Running library={library} />
      {report !== null && over > 0 && (
        <Flex role="alert" gap="8px" align="center" px="18px" py="8px" bg="raised" borderBottom="1px solid" borderColor="coral">
          <Box color="coral" flex={1}>
            {over} {over === 1 ? "sound goes" : "sounds go"} over full scale and {over === 1 ? "was" : "were"} not written.
          </Box>
          {(["lower", "limit"] as const).map((way) => (
            <Do key={way} onClick={() => void again(way)} hint="Ship the sheet again; what is written already is left as it is">
              {way === "lower" ? "Level those down" : "Limit those"}
            </Do>
          ))}
        </Flex>
      )}
      {report !== null ? (
        <Report
          number={report}
          onResume={() => void follow(got(api.POST("/api/lib/{library}/shipments/{id}/resume", { params: { path: { library, id: report } } })))}
        />
      ) : (
        <Beside
          name="ship"
          label="the targets"
          width={290}
          side={
            <Side label="Targets">
              <Where folder={folder} onFolder={(next) => changeSheet({ folder: next.trim() })} />
              <Line />
              <TargetView
                targets={targets}
                onChange={(next) => changeSheet({ targets: next })}
                tokens={preview.data?.tokens ?? {}}
                values={show === null ? {} : (tokens.data ?? {})}
              />
              <Line />
              <Along sheet={kept} onChange={changeSheet} />
            </Side>
          }
        >
          {empty ? (
            <Empty
              action={
                <Do main onClick={() => go("/gather")}>
                  Choose sounds in Gather
                </Do>
              }
            >
              The sheet is empty. Put sounds on it with J in Gather, the design in Stack or the kept variations in Vary; one-shots of Slice and what
              is printed in Vary come here by themselves.
            </Empty>
          ) : (
            <Flex direction="column" flex={1} minW={0} minH={0}>
              <Problems
                files={files}
                noted={preview.data?.noted ?? []}
                sheet={kept}
                shown={only?.what ?? null}
                onShow={setOnly}
                onTakeOff={(items) => {
                  const rows = rowsOf(files, preview.data?.items ?? [], kept, targets).filter((row) => items.includes(row.planned.item));
                  changeSheet(without(kept, rows));
                }}
                onChange={changeSheet}
              />
              <SheetTable
                library={library}
                preview={preview.data}
                error={preview.error?.message ?? ""}
                asked={asked}
                sheet={kept}
                targets={targets}
                only={items}
                onChange={changeSheet}
                onShow={setShow}
              />
            </Flex>
          )}
        </Beside>
      )}
    </Flex>
  );
}
