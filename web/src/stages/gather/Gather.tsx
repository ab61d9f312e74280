import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type DragEvent, useCallback, useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, got, type SoundFacts, type SoundRow } from "../../api/client";
import { whenDone } from "../../app/jobs";
import { useKeys } from "../../app/keys";
import { Bar, Do, Empty } from "../../app/parts";
import { useSend } from "../../app/send";
import { complain, queries, tell, useShared } from "../../app/store";
import { WaveView } from "../../canvas/WaveView";
import { live, player, useListening } from "../../listening/player";
import { Described } from "./Described";
import { Facets } from "./Facets";
import { ImportPanel } from "./ImportPanel";
import { RecordPanel } from "./RecordPanel";
import { type Asked, useSounds } from "./sounds";
import { Table } from "./Table";

/** Files and folders out of a drop, with their paths inside the folders. */
async function dropped(event: DragEvent): Promise<File[]> {
  const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  // read before the first wait: afterwards the drop is gone
  const plain = [...event.dataTransfer.files];
  const files: File[] = [];
  const walk = async (entry: FileSystemEntry, path: string): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
      files.push(new File([file], path + file.name, { type: file.type }));
    } else {
      const reader = (entry as FileSystemDirectoryEntry).createReader();
      for (;;) {
        const batch = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
        if (!batch.length) break;
        for (const one of batch) await walk(one, `${path}${entry.name}/`);
      }
    }
  };
  for (const entry of entries) await walk(entry, "");
  return files.length ? files : plain;
}

export async function follow(started: Promise<{ job: number }>) {
  try {
    const job = await whenDone((await started).job);
    if (job.state !== "done") return;
    const result = job.result as { imported: number; already_there: number; skipped: { path: string; reason: string }[] };
    const skipped = result.skipped.length ? `, ${result.skipped.length} skipped (the arrival on the left lists why)` : "";
    tell(`${result.imported} imported, ${result.already_there} already there${skipped}.`);
  } catch (error) {
    complain(error);
  }
}

export default function Gather() {
  const library = useShared((state) => state.library);
  const selected = useShared((state) => state.selected);
  const [params, setParams] = useSearchParams();
  const panel = params.get("panel");
  const setPanel = (name: string | null) => setParams(name ? { panel: name } : {}, { replace: true });
  const [asked, setAsked] = useState<Asked>({ q: "", sort: "name", descending: false, facets: {} });
  const [range, setRange] = useState<[number, number]>([0, 60]);
  const sounds = useSounds(library, asked, range[0], range[1]);
  const [at, setAt] = useState(-1);
  const search = useRef<HTMLInputElement>(null);
  const send = useSend();
  const loop = useListening((state) => state.loop);
  const heard = useListening((state) => state.heard);
  const facts = useQuery({
    queryKey: ["sound", library, selected?.id],
    enabled: !!selected,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{number}", { params: { path: { library, number: selected?.id ?? 0 } } })),
  });
  const opened = useQuery({
    queryKey: ["opened", library, selected?.id, selected?.mended],
    enabled: !!selected,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.POST("/api/lib/{library}/open", { params: { path: { library } }, body: { sound: selected?.id ?? 0, node: null } })),
  });

  const audition = useCallback(
    async (row: SoundRow, from = 0, part: [number, number] | null = null) => {
      const found = await player.open({ sound: row.id }, library, row.name, { lufs: row.loudness });
      if (found) await player.play(found, from, part);
    },
    [library],
  );
  const select = useCallback(
    (index: number, row: SoundRow | undefined, play = true) => {
      if (!row) return;
      setAt(index);
      useShared.setState({ selected: row });
      if (play) void audition(row);
    },
    [audition],
  );
  const change = async (
    values: Partial<{
      name: string;
      category: string;
      tags: string;
      rating: number;
      notes: string;
      anchor_s: number;
      anchor_kind: SoundFacts["anchor_kind"];
    }>,
  ) => {
    if (!selected) return;
    try {
      const fresh = await got(
        api.PATCH("/api/lib/{library}/sounds/{number}", {
          params: { path: { library, number: selected.id } },
          body: values as never,
        }),
      );
      queries.setQueryData(["sound", library, selected.id], fresh);
      useShared.setState({ selected: fresh });
      void queries.invalidateQueries({ queryKey: ["sounds"] });
    } catch (error) {
      complain(error);
    }
  };
  const move = (by: number) => select(Math.max(0, Math.min(sounds.total - 1, at + by)), sounds.row(Math.max(0, Math.min(sounds.total - 1, at + by))));
  useKeys({
    next: () => move(1),
    previous: () => move(-1),
    rate: (event) => void change({ rating: Number(event.key) }),
    anchor: () => heard && selected && void change({ anchor_s: live.position / heard.opened.rate }),
    toLayer: () => selected && void send.layer(selected),
    toMend: () => selected && send.mend(selected.id),
    toSlice: () => selected && send.slice(selected.id),
    toShip: () => selected && send.ship([selected.id]),
    importFiles: () => setPanel("import"),
    record: () => setPanel(panel === "record" ? null : "record"),
    leave: () => (panel ? setPanel(null) : loop ? player.setLoop(null) : search.current?.blur()),
    undo: () => tell("Descriptions are changed in place; undo works in Mend, Stack and Slice."),
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new question starts at its first row
  useEffect(() => setAt(-1), [asked]);

  const upload = async (files: File[]) => {
    if (!files.length) return;
    const body = new FormData();
    for (const file of files) body.append("files", file, file.name);
    const name = files.length === 1 ? files[0].name : `${files.length} dropped files`;
    const started = fetch(`/api/lib/${library}/upload?name=${encodeURIComponent(name)}`, { method: "POST", body }).then(async (response) => {
      if (!response.ok) throw new Error(((await response.json()) as { sentence: string }).sentence);
      return (await response.json()) as { job: number };
    });
    await follow(started);
  };

  const empty = sounds.loaded && sounds.total === 0 && !asked.q && !Object.values(asked.facets).some((chosen) => chosen.length);
  return (
    <Flex
      direction="column"
      h="100%"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        dropped(event).then(upload, complain);
      }}
    >
      <Bar>
        <Flex
          flex={1}
          align="center"
          bg="ground"
          border="1px solid"
          borderColor={asked.q ? "amber" : "line"}
          borderRadius="8px"
          px="12px"
          h="34px"
          gap="8px"
          minW={0}
        >
          <chakra.input
            ref={search}
            aria-label="Search the sounds"
            placeholder='Search: all words, "a phrase", beginnings of words'
            value={asked.q}
            onChange={(event) => setAsked({ ...asked, q: event.target.value })}
            onKeyDown={(event) => {
              if (event.key === "ArrowDown" || event.key === "Enter") {
                event.currentTarget.blur();
                select(0, sounds.row(0));
              } else if (event.key === "Escape") event.currentTarget.blur();
            }}
            flex={1}
            minW={0}
            bg="transparent"
            outline="none"
            _placeholder={{ color: "dim" }}
          />
          <Box color="dim" fontFamily="mono" fontSize="12px" data-testid="total">
            {sounds.total} {sounds.total === 1 ? "sound" : "sounds"}
          </Box>
          {asked.q && (
            <Do quiet onClick={() => setAsked({ ...asked, q: "" })}>
              Clear
            </Do>
          )}
        </Flex>
        <Do act="importFiles" onClick={() => setPanel(panel === "import" ? null : "import")}>
          Import
        </Do>
        <Do main act="record" onClick={() => setPanel(panel === "record" ? null : "record")}>
          Record
        </Do>
      </Bar>
      <Flex flex={1} minH={0}>
        <Facets facets={sounds.facets} asked={asked} onAsk={setAsked} />
        <Flex direction="column" flex={1} minW={0} position="relative">
          {panel === "record" && <RecordPanel onClose={() => setPanel(null)} />}
          {panel === "import" && <ImportPanel onClose={() => setPanel(null)} onFiles={upload} />}
          {empty ? (
            <Empty
              action={
                <Do main onClick={() => setPanel("import")}>
                  Import a folder
                </Do>
              }
            >
              This library holds no sounds yet. Drop files or folders anywhere on this page, import a folder of this machine, or record a take.
            </Empty>
          ) : (
            <Table sounds={sounds} at={at} asked={asked} selected={selected?.id ?? null} onAsk={setAsked} onRange={setRange} onSelect={select} />
          )}
          {selected && opened.data && (
            <Box borderTop="1px solid" borderColor="line">
              <WaveView
                opened={opened.data}
                height={104}
                spectrum={88}
                marked={loop && heard?.opened.key === opened.data.key ? loop : null}
                onMark={(part) => {
                  if (!part) return;
                  if (useListening.getState().heard?.opened.key === opened.data.key) player.setLoop(part);
                  else void audition(selected, part[0], part);
                }}
                onPlayFrom={(from) => void audition(selected, from, loop && from >= loop[0] && from <= loop[1] ? loop : null)}
                anchor={facts.data?.anchor_s ?? selected.anchor_s}
                onAnchor={(seconds) => void change({ anchor_s: seconds })}
                label={`Waveform and spectrogram of ${selected.name}`}
              />
            </Box>
          )}
        </Flex>
        <Described row={selected} facts={facts.data ?? null} onChange={change} onLayer={() => selected && void send.layer(selected)} />
      </Flex>
    </Flex>
  );
}
