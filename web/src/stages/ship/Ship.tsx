import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, got } from "../../api/client";
import { STATE } from "../../api/questions";
import { type Sheet, type SheetKept, sheetKey, useSheet } from "../../between/sheet";
import { UndoRedo } from "../../documents/UndoRedo";
import { useDocument } from "../../documents/useDocument";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input } from "../../ui/fields";
import { Bar, Empty, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Beside } from "../../ui/Panes";
import { useSettled } from "../../ui/useSettled";
import { Problems } from "./Problems";
import { Report } from "./Report";
import { TargetView } from "./TargetView";

const NONE: number[] = [];

type HeardOf = NonNullable<Sheet["heard"]>;

function without(some: HeardOf, name: string): HeardOf {
  const { [name]: _, ...rest } = some;
  return rest;
}

type OnSheet = { sounds: number[]; designs: number[]; draws: number[] };

/** What an item of a sheet is: sounds come first, then designs, then variations. */
function placeOf({ sounds, designs, draws }: OnSheet, item: number): { kind: keyof OnSheet; id: number; called: string } {
  if (item < sounds.length) return { kind: "sounds", id: sounds[item], called: "" };
  const at = item - sounds.length;
  if (at < designs.length) return { kind: "designs", id: designs[at], called: "design" };
  return { kind: "draws", id: draws[at - designs.length], called: "variation" };
}

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
  const sheet = kept.sounds ?? NONE;
  const designs = kept.designs ?? NONE;
  const draws = kept.draws ?? NONE;
  const empty = sheet.length + designs.length + draws.length === 0;
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
  const wanted = useMemo(
    () => ({
      name: name || "One-shots",
      sounds: sheet,
      designs,
      draws,
      targets,
      folder,
      project,
      heard: kept.heard ?? {},
      allowed: kept.allowed ?? [],
      beside: kept.beside,
    }),
    [name, sheet, designs, draws, targets, folder, project, kept.heard, kept.allowed, kept.beside],
  );
  const asked = useSettled(wanted, 100);
  const preview = useQuery({
    queryKey: ["preview", library, asked],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => got(api.POST("/api/lib/{library}/ship/preview", { params: { path: { library } }, body: asked, signal })),
  });
  const files = preview.data?.files ?? [];
  const problems = preview.data?.problems ?? 0;
  const follow = async (started: Promise<{ job: number; id?: number | null }>) => {
    try {
      const { job, id } = await started;
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
        <Box flex={1} />
        {report === null ? (
          <>
            <Box fontFamily="mono" fontSize="12px" color={problems ? "coral" : "dim"} data-testid="planned">
              {files.length} {files.length === 1 ? "file" : "files"}
              {problems ? `, ${problems} with a problem` : ""}
            </Box>
            <UndoRedo history={history} />
            <Do disabled={empty} onClick={() => changeSheet({ sounds: [], designs: [], draws: [], heard: {}, allowed: [] })}>
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
            <TargetView
              targets={targets}
              onChange={(next) => changeSheet({ targets: next })}
              tokens={preview.data?.tokens ?? {}}
              folder={folder}
              onFolder={(next) => changeSheet({ folder: next.trim() })}
              beside={kept.beside}
              onBeside={(values) => changeSheet({ beside: { ...kept.beside, ...values } }, Object.keys(values).join())}
            />
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
              <Problems files={files} missing={preview.data?.missing ?? []} targets={targets} allowed={kept.allowed ?? []} onChange={changeSheet} />
              <Box flex={1} minH={0} overflowY="auto" role="table" aria-label="Files to be written" tabIndex={0}>
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
                    <Box role="cell" fontFamily="mono" fontSize="11px" color="dim" w="34px">
                      {one.item + 1}
                    </Box>
                    <Box
                      role="cell"
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
                    <Flex role="cell" gap="12px" align="center">
                      {one.foreign && (
                        <Do
                          quiet
                          hint="Somebody else wrote this file; this writes over this very one"
                          onClick={() => changeSheet({ allowed: [...(kept.allowed ?? []), one.path] })}
                        >
                          Write over it
                        </Do>
                      )}
                      {kept.allowed?.includes(one.path) && !one.problem && (
                        <Do
                          quiet
                          hint="Leave the file that is there alone"
                          onClick={() => changeSheet({ allowed: (kept.allowed ?? []).filter((path) => path !== one.path) })}
                        >
                          writes over a file
                        </Do>
                      )}
                      {kept.heard?.[String(asked.sounds[one.item])] && (
                        <Do
                          quiet
                          hint="It leaves as it was heard when it was put on the sheet; press to let it leave dry"
                          onClick={() => changeSheet({ heard: without(kept.heard ?? {}, String(asked.sounds[one.item])) })}
                        >
                          as heard
                        </Do>
                      )}
                      <Box color="dim" fontSize="12px" whiteSpace="nowrap">
                        {placeOf(asked, one.item).called && `${placeOf(asked, one.item).called}, `}
                        {targets[one.target]?.name}
                      </Box>
                      <Do
                        quiet
                        onClick={() => {
                          const { kind, id } = placeOf(asked, one.item);
                          changeSheet({ [kind]: (kept[kind] ?? NONE).filter((other) => other !== id) });
                        }}
                        hint="Take this off the sheet"
                      >
                        <Box as="span" color="dim">
                          ×
                        </Box>
                      </Do>
                    </Flex>
                  </Flex>
                ))}
                {files.length > 400 && (
                  <Box color="dim" p="12px">
                    and {files.length - 400} more
                  </Box>
                )}
              </Box>
            </Flex>
          )}
        </Beside>
      )}
    </Flex>
  );
}
