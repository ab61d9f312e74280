/** The plan of one sound on the board: its slices over the waveform, heard, corrected and made into one-shots. */
import { Box, Flex, Tabs } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Node } from "../../api/client";
import { putOnSheet } from "../../between/sheet";
import type { Band, Hint } from "../../canvas/wave";
import { UndoRedo } from "../../documents/UndoRedo";
import { openWhole } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { LongWave } from "../../timeline/LongWave";
import { Do } from "../../ui/buttons";
import { useControl } from "../../ui/controls";
import { clock, seconds } from "../../ui/format";
import { Bar, Side, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Beside, Panes } from "../../ui/Panes";
import { inOrder, isWithin, type Sorted, type Within } from "./columns";
import { FindPanel } from "./FindPanel";
import { FinishPanel } from "./FinishPanel";
import { KitKeys } from "./KitKeys";
import { KitPanel } from "./KitPanel";
import { Older } from "./Older";
import { SliceActs } from "./SliceActs";
import { SliceTable } from "./SliceTable";
import { useHearing } from "./useHearing";
import { useMeasured } from "./useMeasured";
import { type PlanView, usePlan } from "./usePlan";

/** Height of both waveforms at first, and of that of all of it (px). */
const WAVES = 262;
const OVERVIEW = 48;

/** So many slices become layers of one design. */
const MOST_STACKED = 128;

const STACKED = { display: "flex", flexDirection: "column", gap: "8px", p: 0 };
const SIDES = ["Find", "Finish", "Kits"] as const;

export function Board({ loaded }: { loaded: PlanView }) {
  const sensitivity = useControl("SliceSettings", "sensitivity_db");
  const inside = (db: number) => Math.min(sensitivity?.high ?? db, Math.max(sensitivity?.low ?? db, db));
  const library = useShared((state) => state.library);
  const go = useNavigate();
  const { view, plan, history, find, edit, back, finish, change, deal, like, saved, make: begin } = usePlan(loaded);
  const [side, setSide] = useState<string>(SIDES[0]);
  /** The kit that is shown alone, and what is played on keys. */
  const [kit, setKit] = useState<number | null>(null);
  const [onKeys, setOnKeys] = useState<{ name: string; ids: readonly number[] } | null>(null);
  const [chosen, setChosen] = useState<number | null>(loaded.plan.slices[0]?.id ?? null);
  const [within, setWithin] = useState<Within | null>(null);
  const total = loaded.seconds;
  const [zoom, setZoom] = useState<[number, number]>([0, Math.min(total, Math.max(6, total / 18))]);
  const node = loaded.node as Node;
  const opened = useQuery({
    queryKey: ["opened", library, "slice", loaded.sound, JSON.stringify(loaded.node)],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => openWhole(library, { node }),
  });
  const heard = useListening((state) => state.heard);
  const loop = useListening((state) => state.loop);

  const settings = view.plan.settings;
  const floors = useMemo(() => view.floors_dbfs ?? [view.floor_dbfs], [view.floors_dbfs, view.floor_dbfs]);
  const pieces = plan.slices;
  const facts = useMeasured(loaded.sound, plan);
  const [sorted, setSorted] = useState<Sorted>({ by: "No", down: false });
  const [group, setGroup] = useState<number | null>(null);
  const rows = useMemo(() => pieces.map((piece, i) => ({ ...piece, no: i + 1, facts: facts.get(piece.id) })), [pieces, facts]);
  const inBand = useMemo(() => new Set(rows.filter((row) => isWithin(row, within)).map((row) => row.id)), [rows, within]);
  const inKit = kit === null ? null : plan.kits[kit];
  const shown = inOrder(
    rows.filter((row) => inBand.has(row.id) && (group === null || row.facts?.group === group) && (!inKit || inKit.slices.includes(row.id))),
    sorted,
  );
  const groups = new Set(rows.flatMap((row) => (row.facts?.group == null || row.dropped ? [] : [row.facts.group])));
  const spare = rows.filter((row) => row.facts?.group != null && !row.facts.best && !row.dropped);
  const keptIds = new Set(pieces.filter((piece) => !piece.dropped).map((piece) => piece.id));
  const kept = keptIds.size;
  const peaks = rows.filter((row) => !row.dropped).map((row) => row.facts);
  const highest = Math.max(...peaks.map((one) => one?.peak_dbfs ?? Number.NEGATIVE_INFINITY));
  const loudest = peaks.every((one) => one) && Number.isFinite(highest) ? highest : null;
  const current = rows.find((row) => row.id === chosen) ?? null;

  const {
    raw,
    setRaw,
    through,
    setThrough,
    playingSlice,
    setPlayingSlice,
    choose: hear,
    step: stepTo,
    hearSeam,
    hearEdges,
  } = useHearing(loaded, saved, shown, chosen, setChosen, zoom, setZoom);
  /** Slices chosen beside the current one, which keys that take several work on. */
  const [beside, setBeside] = useState<ReadonlySet<number>>(new Set());
  const together = useMemo(() => new Set([...beside, ...(chosen === null ? [] : [chosen])]), [beside, chosen]);
  const choose = (id: number, sound = true) => {
    setBeside(new Set());
    hear(id, sound);
  };
  const step = (by: number) => {
    setBeside(new Set());
    stepTo(by);
  };
  const chooseMore = (id: number, as: "range" | "one") => {
    const [from, to] = [chosen ?? id, id].map((one) => shown.findIndex((row) => row.id === one));
    if (as === "range") setBeside(new Set(shown.slice(Math.min(from, to), Math.max(from, to) + 1).map((row) => row.id)));
    else if (id !== chosen) setBeside(new Set(beside.has(id) ? [...beside].filter((one) => one !== id) : [...beside, id]));
  };
  // what a band or a group hides is not worked on
  const several = shown.filter((row) => together.has(row.id));
  const dropping = several.some((piece) => !piece.dropped);
  /** Drop slices, or take them back, in one step of undo; locked ones stay. */
  const dropAll = (ids: ReadonlySet<number>, dropped = true) =>
    change({ slices: pieces.map((piece) => (ids.has(piece.id) && !piece.locked ? { ...piece, dropped, touched: true } : piece)) });
  const lock = () => {
    const locked = !several.every((row) => row.locked);
    if (several.length) edit({ do: "lock", ids: several.map((row) => row.id), locked });
  };
  const loopIt = () => current && edit({ do: "loop", id: current.id, loop: null, best: !current.loop });
  const seam = () => current && void hearSeam(current);
  const edges = () => current && void hearEdges(current);
  const playKeys = () => several.length && setOnKeys({ name: `${several.length} chosen`, ids: several.map((row) => row.id) });
  const stack = async () => {
    if (!several.length) return;
    if (several.length > MOST_STACKED) return tell(`Choose at most ${MOST_STACKED} slices to stack them.`);
    try {
      await saved();
      const body = { ids: several.map((row) => row.id), project: useShared.getState().project };
      const made = await got(api.POST("/api/lib/{library}/plans/{id}/stack", { params: { path: { library, id: loaded.sound } }, body }));
      for (const key of ["designs", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
      useShared.setState({ design: made.design });
      tell(`${several.length} ${several.length === 1 ? "slice is" : "slices are"} layers of ${made.name}.`);
      go("/stack");
    } catch (error) {
      complain(error);
    }
  };
  const dropChosen = () => {
    if (several.length === 1) edit({ do: "drop", id: several[0].id, dropped: dropping });
    else if (several.length) dropAll(new Set(several.map((row) => row.id)), dropping);
  };
  const playheadS = () => {
    const listening = useListening.getState().heard;
    if (!listening) return current ? (current.start_s + current.end_s) / 2 : 0;
    const own = live.position / listening.opened.rate;
    return listening.opened.digest === opened.data?.digest ? own : (pieces.find((piece) => piece.id === playingSlice)?.start_s ?? 0) + own;
  };
  const playAll = () => {
    setThrough(true);
    if (current) choose(current.id);
  };
  const nudge = (event: KeyboardEvent, sign: number) => {
    if (!current) return;
    // from where the slice is when its turn comes: keys pressed fast add up
    edit({ do: "move", id: current.id, start_s: null, end_s: null, by_s: sign * (event.shiftKey ? 0.01 : 0.001) }, `nudge ${current.id}`);
  };
  const make = async () => {
    try {
      const started = await begin();
      const { result } = await whenDone(started.job, "slice");
      if (!result) return;
      const made = result.sounds;
      await putOnSheet({ sounds: made });
      tell(`${made.length} one-shots are in the library and on the sheet of Ship.`);
    } catch (error) {
      complain(error);
    }
  };
  useKeys({
    next: () => step(1),
    previous: () => step(-1),
    drop: dropChosen,
    chooseAll: () => setBeside(new Set(shown.map((row) => row.id))),
    merge: () => current && edit({ do: "merge", id: current.id }),
    split: () => current && edit({ do: "split", id: current.id, at_s: playheadS() }),
    finished: () => setRaw((one) => !one),
    playThrough: playAll,
    left: (event) => nudge(event, -1),
    right: (event) => nudge(event, 1),
    trimStart: () => current && edit({ do: "move", id: current.id, start_s: playheadS(), end_s: null, by_s: null }),
    trimEnd: () => current && edit({ do: "move", id: current.id, start_s: null, end_s: playheadS(), by_s: null }),
    undo: () => back(history.undo),
    redo: () => back(history.redo),
    lock,
    loopIt,
    seam,
    bothEdges: edges,
    perform: playKeys,
    toLayer: () => void stack(),
    commit: () => void make(),
    leave: () => {
      setBeside(new Set());
      setThrough(false);
      player.setLoop(null);
    },
  });
  const bands = useMemo(
    (): Band[] =>
      pieces.map((piece, i) => ({
        id: piece.id,
        start: piece.start_s,
        end: piece.end_s,
        label: String(i + 1),
        chosen: together.has(piece.id),
        dropped: piece.dropped || !inBand.has(piece.id),
      })),
    [pieces, together, inBand],
  );
  const loops = useMemo(
    (): Hint[] => pieces.flatMap(({ loop }) => (loop ? [{ start: loop.start_s, end: loop.end_s, colour: "amber" as const, label: "loop" }] : [])),
    [pieces],
  );
  const isLong = opened.data && heard?.opened.digest === opened.data.digest;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{loaded.name}</Title>
        <Box color="dim" fontFamily="mono" fontSize="12px" whiteSpace="nowrap">
          {clock(total, 1)}
        </Box>
        <Box flex={1} />
        <Box fontFamily="mono" fontSize="12px" whiteSpace="nowrap" data-testid="slice-count">
          <Box as="span" color="glass">
            {pieces.length} {pieces.length === 1 ? "slice" : "slices"}
          </Box>{" "}
          {pieces.length - kept} dropped
        </Box>
        <UndoRedo history={history} back={back} />
        <Do act="playThrough" on={through} onClick={() => (through ? setThrough(false) : playAll())}>
          Play through
        </Do>
        <Do main act="commit" disabled={!kept} onClick={() => void make()}>
          Make {kept} one-shots
        </Do>
      </Bar>
      <Older loaded={loaded} history={history} />
      <Beside
        name="slice"
        label="find, finish and kits"
        width={248}
        side={
          <Side label="Find, finish and kits">
            <Tabs.Root value={side} onValueChange={({ value }) => setSide(value)} lazyMount unmountOnExit>
              <Tabs.List mb="10px">
                {SIDES.map((name) => (
                  <Tabs.Trigger key={name} value={name}>
                    {name}
                  </Tabs.Trigger>
                ))}
              </Tabs.List>
              <Tabs.Content value="Find" css={STACKED}>
                <FindPanel
                  view={view}
                  plan={plan}
                  rows={rows}
                  within={within}
                  onWithin={setWithin}
                  onFind={find}
                  onLike={like}
                  onDropOthers={() => {
                    dropAll(new Set(pieces.filter((piece) => !inBand.has(piece.id)).map((piece) => piece.id)));
                    setWithin(null);
                  }}
                />
              </Tabs.Content>
              <Tabs.Content value="Finish" css={STACKED}>
                <FinishPanel plan={plan} loudest={loudest} onFinish={finish} onPlan={change} />
              </Tabs.Content>
              <Tabs.Content value="Kits" css={STACKED}>
                <KitPanel
                  plan={plan}
                  shown={kit}
                  onShow={setKit}
                  onDeal={deal}
                  onPlay={(number) => setOnKeys({ name: plan.kits[number].name, ids: plan.kits[number].slices.filter((id) => keptIds.has(id)) })}
                  onSettings={(kitting) => change({ kitting }, "kitting")}
                  onClear={() => {
                    setKit(null);
                    change({ kits: [] });
                  }}
                />
              </Tabs.Content>
            </Tabs.Root>
          </Side>
        }
      >
        <Panes
          name="slice waves"
          stacked
          panes={[
            {
              id: "waves",
              label: "the waveforms",
              size: WAVES,
              least: 140,
              holds: (
                <LongWave
                  opened={opened.data ?? null}
                  seconds={total}
                  zoom={zoom}
                  onZoom={setZoom}
                  leastS={0.02}
                  height={WAVES}
                  wholeHeight={OVERVIEW}
                  whole={{
                    onPlayFrom: (at) => {
                      const span = zoom[1] - zoom[0];
                      const start = Math.max(0, Math.min(total - span, at - span / 2));
                      setZoom([start, start + span]);
                    },
                    label: `All of ${loaded.name}; drag to choose what is shown below`,
                  }}
                  part={{
                    marked: isLong ? loop : null,
                    onMark: (part) => {
                      if (part && opened.data) {
                        const sound = { opened: opened.data, title: loaded.name, lufs: null, matchDb: 0 };
                        if (!isLong) player.show(sound);
                        player.setLoop(part);
                      }
                    },
                    onPlayFrom: (at) => {
                      setPlayingSlice(null);
                      if (opened.data) void player.play({ opened: opened.data, title: loaded.name, lufs: null, matchDb: 0 }, at);
                    },
                    bands,
                    hints: loops,
                    onBand: (id) => choose(id, false),
                    onEdge: (id, edge, at) =>
                      edit({ do: "move", id, start_s: edge === "start" ? at : null, end_s: edge === "end" ? at : null, by_s: null }),
                    over: settings.by === "grid" || settings.by === "markers" ? undefined : settings.sensitivity_db,
                    floors,
                    onOver: (db) => find({ ...settings, sensitivity_db: inside(Number(db.toFixed(1))) }, "sensitivity_db"),
                    label: `Slices of ${loaded.name}; the table below lists them`,
                  }}
                />
              ),
            },
            {
              id: "rows",
              label: "the slices",
              least: 110,
              holds: onKeys ? (
                <KitKeys
                  sound={loaded.sound}
                  name={onKeys.name}
                  ids={onKeys.ids}
                  called={(id) => {
                    const row = rows.find((one) => one.id === id);
                    return row ? `Slice ${row.no}, ${seconds(row.end_s - row.start_s)}` : "";
                  }}
                  onHit={(id) => choose(id, false)}
                  onClose={() => setOnKeys(null)}
                />
              ) : (
                <>
                  <SliceActs
                    current={current}
                    several={several}
                    spare={spare}
                    groups={groups.size}
                    group={group}
                    raw={raw}
                    canAdd={!!isLong && !!loop}
                    onGroup={setGroup}
                    onRaw={() => setRaw(!raw)}
                    onSplit={() => current && edit({ do: "split", id: current.id, at_s: playheadS() })}
                    onMerge={() => current && edit({ do: "merge", id: current.id })}
                    onDrop={dropChosen}
                    onBest={() => dropAll(new Set(spare.map((row) => row.id)))}
                    onSnap={() => edit({ do: "snap", ids: several.map((piece) => piece.id) })}
                    onAdd={() => loop && edit({ do: "add", start_s: loop[0], end_s: loop[1] })}
                    onLock={lock}
                    onLoop={loopIt}
                    onSeam={seam}
                    onEdges={edges}
                    onKeys={playKeys}
                    onStack={() => void stack()}
                  />
                  <SliceTable
                    rows={shown}
                    chosen={chosen}
                    together={together}
                    sorted={sorted}
                    onSort={setSorted}
                    onChoose={choose}
                    onMore={chooseMore}
                  />
                </>
              ),
            },
          ]}
        />
      </Beside>
    </Flex>
  );
}
