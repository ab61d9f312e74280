import { Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type MouseEvent, useCallback, useEffect, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { api, got, type SoundRow } from "../../api/client";
import { exportFiles } from "../../between/export";
import { heardSo } from "../../between/heard";
import { useSend } from "../../between/send";
import { GivenReport } from "../../chain/giving";
import { openToHear } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { queries, useShared } from "../../session/store";
import { upload } from "../../session/uploading";
import { Do } from "../../ui/buttons";
import { Bar, Empty, SpokenTitle } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain } from "../../ui/messages";
import { Panes } from "../../ui/Panes";
import { Answering } from "./Answers";
import { ArrivalCard } from "./ArrivalCard";
import { Bulk } from "./Bulk";
import { CardPanel } from "./CardPanel";
import { Described } from "./Described";
import { edit, stale, takeBack } from "./describing";
import { endPart, keepPart, startPart } from "./Excerpts";
import { ExportReport } from "./ExportReport";
import { Facets } from "./Facets";
import { FieldRecorder } from "./FieldRecorder";
import { ImportPanel } from "./ImportPanel";
import { Looking } from "./Looking";
import { RecordPanel } from "./RecordPanel";
import { SearchBar } from "./SearchBar";
import { among, ask, type Change, PAGE, useGather, useSounds } from "./sounds";
import { Table } from "./Table";
import { Trash } from "./Trash";

const NUDGE_S = 0.001;

export default function Gather() {
  const library = useShared((state) => state.library);
  const selected = useShared((state) => state.selected);
  const wanting = useShared((state) => state.wanting);
  const [params, setParams] = useSearchParams();
  const panel = params.get("panel");
  const setPanel = (name: string | null) => setParams(name ? { panel: name } : {}, { replace: true });
  const { asked, chosen, all } = useGather();
  const [range, setRange] = useState<[number, number]>([0, 60]);
  const sounds = useSounds(library, asked, range[0], range[1]);
  const [at, setAt] = useState(-1);
  /** Rows in another order are looked at from the first one on; what narrows or widens them keeps the selected one in sight. */
  const [reordered, setReordered] = useState(false);
  const last = useRef(asked);
  const from = useRef(-1);
  const search = useRef<HTMLInputElement>(null);
  /** What was typed when its first row was asked for, until that row is there. */
  const firstWanted = useRef<string | null>(null);
  const send = useSend();
  const loop = useListening((state) => state.loop);
  const heard = useListening((state) => state.heard);
  const facts = useQuery({
    queryKey: ["sound", library, selected?.id],
    enabled: !!selected,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}", { params: { path: { library, id: selected?.id ?? 0 } } })),
  });

  const audition = useCallback(
    async (row: SoundRow, start = 0, part: [number, number] | null = null) => {
      const found = await openToHear({ sound: row.id, through: useListening.getState().through }, library, row.name, { lufs: row.loudness });
      if (found) await player.play(found, start, part);
    },
    [library],
  );
  const select = useCallback(
    (index: number, row: SoundRow | undefined) => {
      if (!row) return;
      setAt(index);
      from.current = index;
      useShared.setState({ selected: row });
      void audition(row);
    },
    [audition],
  );
  const { settled: answered, row: rowAt } = sounds;
  useEffect(() => {
    // whoever types and presses Down at once means the first row of what was typed
    if (firstWanted.current === null || !answered || asked.q !== firstWanted.current) return;
    firstWanted.current = null;
    select(0, rowAt(0));
  }, [answered, asked.q, rowAt, select]);
  // the selected sound is gone to where it stands among the rows that were found
  useEffect(() => {
    if (!answered || reordered || at >= 0 || !selected || firstWanted.current !== null) return;
    for (let index = 0; index < PAGE && rowAt(index); index++)
      if (rowAt(index)?.id === selected.id) {
        setAt(index);
        from.current = index;
        return;
      }
  }, [answered, at, selected, rowAt, reordered]);
  const outside = answered && !reordered && at < 0 && !!selected && sounds.total <= PAGE;
  /** Choose all rows from the one the choice began with up to another. */
  const chooseTo = (index: number) => {
    const start = from.current < 0 ? index : from.current;
    const ids = [];
    for (let i = Math.min(start, index); i <= Math.max(start, index); i++) {
      const row = sounds.row(i);
      if (row) ids.push(row.id);
    }
    useGather.setState({ chosen: ids, all: false });
  };
  const clicked = (index: number, row: SoundRow | undefined, event: MouseEvent) => {
    if (!row) return;
    if (event.shiftKey) {
      chooseTo(index);
      return;
    }
    if (event.ctrlKey || event.metaKey) {
      const before = chosen.length ? chosen : selected ? [selected.id] : [];
      useGather.setState({ chosen: before.includes(row.id) ? before.filter((one) => one !== row.id) : [...before, row.id], all: false });
      return;
    }
    useGather.setState({ chosen: [row.id], all: false });
    select(index, row);
  };
  const change = async (values: Partial<Change>, newest = () => true) => {
    if (!selected) return;
    try {
      const fresh = await got(
        api.PATCH("/api/lib/{library}/sounds/{id}", { params: { path: { library, id: selected.id } }, body: values as Change }),
      );
      if (!newest()) return; // the next one is on its way and is shown already
      queries.setQueryData(["sound", library, selected.id], fresh);
      if (useShared.getState().selected?.id === fresh.id) useShared.setState({ selected: fresh });
      stale();
    } catch (error) {
      complain(error);
    }
  };
  /** Of many chosen sounds all are changed, else the one that is heard. */
  const changeChosen = (values: Partial<Change>) => (all || chosen.length > 1 ? void edit(values) : void change(values));
  const move = (by: number, extend: boolean) => {
    const index = Math.max(0, Math.min(sounds.total - 1, at + by));
    const row = sounds.row(index);
    if (!row) return;
    if (extend) {
      setAt(index);
      chooseTo(index);
      useShared.setState({ selected: row });
      void audition(row);
    } else {
      useGather.setState({ chosen: [row.id], all: false });
      select(index, row);
    }
  };
  const nudges = useRef({ turn: Promise.resolve(), count: 0 });
  /** From where the anchor is now: keys pressed fast add up, whatever has been answered yet. */
  const nudge = (by: number, event: KeyboardEvent) => {
    const now = useShared.getState().selected;
    if (!now) return;
    const to = now.anchor_s + by * NUDGE_S * (event.shiftKey ? 10 : 1);
    const anchor_s = Math.min(now.seconds, Math.max(0, Number(to.toFixed(6))));
    useShared.setState({ selected: { ...now, anchor_s } });
    const mine = ++nudges.current.count;
    const newest = () => mine === nudges.current.count;
    nudges.current.turn = nudges.current.turn.then(() => (newest() ? change({ anchor_s }, newest) : undefined));
  };
  /** The chosen sounds in the order of the table, or the one that is heard, onto a review reel. */
  const review = async () => {
    if (!selected && !all && !chosen.length) return;
    const many = all || chosen.length > 1;
    const what = many ? among() : { ids: selected ? [selected.id] : chosen, all_of: null };
    await send.review(what, `Review of ${many ? asked.q || `${all ? sounds.total : chosen.length} takes` : (selected?.name ?? "a take")}`);
  };
  const alike = () => selected && ask({ like: { id: selected.id, name: selected.name }, q: "", facets: {} });
  useKeys({
    next: (event) => move(1, event.shiftKey),
    previous: (event) => move(-1, event.shiftKey),
    right: (event) => nudge(1, event),
    left: (event) => nudge(-1, event),
    rate: (event) => changeChosen({ rating: Number(event.key) }),
    anchor: () => heard && heard.sound === selected?.id && void change({ anchor_s: live.position / heard.opened.rate }),
    confirm: () => changeChosen({ confirm: true }),
    alike,
    chooseAll: () => useGather.setState({ all: true, chosen: [] }),
    // told with what it is used in, also when it is one sound
    remove: () => void edit({ trashed: !asked.trash }, all || chosen.length > 1 ? undefined : selected ? [selected.id] : chosen),
    handOver: () => {
      if (all || chosen.length > 1) void exportFiles(among(), "", null, heardSo(null));
      else if (selected) void exportFiles({ ids: [selected.id] }, "", null, heardSo(loop && heard?.sound === selected.id ? loop : null));
    },
    toLayer: () => selected && void send.layer(selected),
    toMend: () => selected && send.mend(selected.id),
    toSlice: () => selected && send.slice(selected.id),
    draw: () => selected && void send.copies(selected.id, heardSo(loop && heard?.sound === selected.id ? loop : null)),
    review: () => void review(),
    toShip: () => {
      const part = loop && heard?.sound === selected?.id ? loop : null;
      if (selected) send.ship(chosen.length > 1 ? chosen : [selected.id], heardSo(chosen.length > 1 ? null : part));
    },
    importFiles: () => setPanel(panel === "import" ? null : "import"),
    record: () => setPanel(panel === "record" ? null : "record"),
    trimStart: () => selected && startPart(selected.id),
    trimEnd: () => selected && endPart(selected.id),
    keep: () => selected && void keepPart(selected),
    leave: () =>
      panel
        ? setPanel(null)
        : all || chosen.length > 1
          ? useGather.setState({ chosen: [], all: false })
          : loop
            ? player.setLoop(null)
            : search.current?.blur(),
    undo: () => void takeBack(false),
    redo: () => void takeBack(true),
  });
  useEffect(() => {
    // a new question starts at its first row
    setAt(-1);
    from.current = -1;
    setReordered(last.current.sort !== asked.sort || last.current.descending !== asked.descending);
    last.current = asked;
  }, [asked]);

  const empty = sounds.loaded && sounds.total === 0 && !asked.q && !asked.trash && !Object.values(asked.facets).some((one) => one.length);
  return (
    <Flex direction="column" h="100%">
      <SpokenTitle>Gather</SpokenTitle>
      <Bar tall={asked.trash || !!asked.like || sounds.search.conditions.length > 0 || !!sounds.error}>
        <SearchBar
          asked={asked}
          search={sounds.search}
          total={sounds.total}
          error={sounds.error ? String(sounds.error.message) : ""}
          facets={sounds.facets}
          field={search}
          onDown={(text) => {
            firstWanted.current = text === asked.q ? null : text;
            if (text === asked.q) select(0, sounds.row(0));
          }}
        />
        <Do act="importFiles" onClick={() => setPanel(panel === "import" ? null : "import")}>
          Import
        </Do>
        <Do act="wanted" on={wanting} onClick={() => useShared.setState({ wanting: !wanting })}>
          Wanted
        </Do>
        <Do main act="record" onClick={() => setPanel(panel === "record" ? null : "record")}>
          Record
        </Do>
      </Bar>
      <Panes
        name="gather"
        panes={[
          { id: "filters", label: "the filters", size: 186, least: 150, most: 420, holds: <Facets facets={sounds.facets} asked={asked} /> },
          {
            id: "work",
            label: "the sounds",
            least: 420,
            holds: (
              <Panes
                name="gather sounds"
                stacked
                panes={[
                  {
                    id: "sounds",
                    label: "the sounds",
                    least: 120,
                    holds: (
                      <Flex direction="column" flex={1} minW={0} position="relative">
                        {panel === "record" && <RecordPanel onClose={() => setPanel(null)} onDevice={() => setPanel("recorder")} />}
                        {panel === "recorder" && (
                          <FieldRecorder onClose={() => setPanel(null)} onInput={() => setPanel("record")} onCard={() => setPanel("card")} />
                        )}
                        {panel === "card" && <CardPanel onClose={() => setPanel(null)} onDevice={() => setPanel("recorder")} />}
                        {panel === "import" && <ImportPanel onClose={() => setPanel(null)} onFiles={upload} onCard={() => setPanel("card")} />}
                        {panel === null && <Answering onBack={() => useShared.setState({ wanting: true })} />}
                        {panel === null && asked.facets.arrival?.length === 1 && <ArrivalCard number={Number(asked.facets.arrival[0])} />}
                        {asked.trash && <Trash sounds={sounds.total} />}
                        <Bulk total={sounds.total} onReview={() => void review()} />
                        <GivenReport />
                        <ExportReport />
                        {empty ? (
                          <Empty
                            action={
                              <Do main onClick={() => setPanel("import")}>
                                Import a folder
                              </Do>
                            }
                          >
                            This library holds no sounds yet. Drop files or folders anywhere on this page, import a folder of this machine, or record
                            a take.
                          </Empty>
                        ) : (
                          <Table sounds={sounds} at={at} asked={asked} selected={selected?.id ?? null} onRange={setRange} onSelect={clicked} />
                        )}
                      </Flex>
                    ),
                  },
                  selected &&
                    (panel === null || panel === "import") && {
                      id: "looking",
                      label: "the waveform",
                      size: 238,
                      least: 120,
                      holds: (
                        <Looking row={selected} facts={facts.data ?? null} audition={audition} onAnchor={(anchor_s) => void change({ anchor_s })} />
                      ),
                    },
                ]}
              />
            ),
          },
          {
            id: "side",
            label: "the description",
            size: 248,
            least: 220,
            most: 560,
            holds: (
              <Described
                row={selected}
                outside={outside}
                facts={facts.data ?? null}
                onChange={(values) => void change(values)}
                onLayer={() => selected && void send.layer(selected)}
                onAlike={alike}
              />
            ),
          },
        ]}
      />
    </Flex>
  );
}
