/** The plan of one sound on the board: its slices over the waveform, heard, corrected and made into one-shots. */
import { Box, Flex, Tabs } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Node } from "../../api/client";
import { putOnSheet } from "../../between/sheet";
import { UndoRedo } from "../../documents/UndoRedo";
import { openWhole } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { clock, seconds } from "../../ui/format";
import { Bar, Side, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Beside, Panes } from "../../ui/Panes";
import { FindPanel } from "./FindPanel";
import { Finished } from "./Finished";
import { FinishPanel } from "./FinishPanel";
import { KitKeys } from "./KitKeys";
import { KitPanel } from "./KitPanel";
import { notMade } from "./notMade";
import { Older } from "./Older";
import { type SliceActing, SliceActs } from "./SliceActs";
import { SliceTable } from "./SliceTable";
import { SliceWaves, WAVES } from "./SliceWaves";
import { useHearing } from "./useHearing";
import { useMeasured } from "./useMeasured";
import { type PlanView, usePlan } from "./usePlan";
import { useRows } from "./useRows";

/** So many slices become layers of one design. */
const MOST_STACKED = 128;

const STACKED = { display: "flex", flexDirection: "column", gap: "8px", p: 0 };
const SIDES = ["Find", "Finish", "Kits"] as const;

export function Board({ loaded }: { loaded: PlanView }) {
  const library = useShared((state) => state.library);
  const go = useNavigate();
  const { view, plan, history, find, edit, back, finish, change, deal, like, saved, make: begin } = usePlan(loaded);
  const [side, setSide] = useState<string>(SIDES[0]);
  /** What is played on keys. */
  const [onKeys, setOnKeys] = useState<{ name: string; ids: readonly number[] } | null>(null);
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
  const pieces = plan.slices;
  const rows = useRows(plan, useMeasured(loaded.sound, plan));
  const { current, several, kept, inBand, spare } = rows;
  const hearing = useHearing(loaded, saved, rows.shown, rows.chosen, rows.setChosen, zoom, setZoom);
  const { raw, setRaw, through, setThrough, playingSlice, setPlayingSlice } = hearing;
  const choose = (id: number, sound = true) => {
    rows.chooseOne();
    hearing.choose(id, sound);
  };
  const step = (by: number) => {
    rows.chooseOne();
    hearing.step(by);
  };
  /** Drop slices, or take them back, in one step of undo; locked ones stay. */
  const dropAll = (ids: ReadonlySet<number>, dropped = true) =>
    change({ slices: pieces.map((piece) => (ids.has(piece.id) && !piece.locked ? { ...piece, dropped, touched: true } : piece)) });
  const stack = async () => {
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
      tell(`${made.length} one-shots are in the library and on the sheet of Ship.${notMade(result.failed)}`, !!result.failed?.length);
    } catch (error) {
      complain(error);
    }
  };
  const isLong = opened.data && heard?.opened.digest === opened.data.digest;
  const dropping = several.some((row) => !row.dropped);
  /** What can be done to the chosen slices, by key or button. */
  const acts: SliceActing = {
    split: () => current && edit({ do: "split", id: current.id, at_s: playheadS() }),
    merge: () => current && edit({ do: "merge", id: current.id }),
    drop: () => {
      if (several.length === 1) edit({ do: "drop", id: several[0].id, dropped: dropping });
      else if (several.length) dropAll(new Set(several.map((row) => row.id)), dropping);
    },
    lock: () => several.length && edit({ do: "lock", ids: several.map((row) => row.id), locked: !several.every((row) => row.locked) }),
    loopIt: () => current && edit({ do: "loop", id: current.id, loop: null, best: !current.loop }),
    seam: () => current && hearing.hearSeam(current),
    bothEdges: () => current && hearing.hearEdges(current),
    perform: () => several.length && setOnKeys({ name: `${several.length} chosen`, ids: several.map((row) => row.id) }),
    toLayer: () => several.length && void stack(),
    finished: () => setRaw((one) => !one),
  };
  useKeys({
    ...acts,
    next: () => step(1),
    previous: () => step(-1),
    chooseAll: rows.chooseAll,
    playThrough: playAll,
    left: (event) => nudge(event, -1),
    right: (event) => nudge(event, 1),
    trimStart: () => current && edit({ do: "move", id: current.id, start_s: playheadS(), end_s: null, by_s: null }),
    trimEnd: () => current && edit({ do: "move", id: current.id, start_s: null, end_s: playheadS(), by_s: null }),
    undo: () => back(history.undo),
    redo: () => back(history.redo),
    commit: () => void make(),
    leave: () => {
      rows.chooseOne();
      setThrough(false);
      player.setLoop(null);
    },
  });
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
          {pieces.length - kept.length} dropped
        </Box>
        <UndoRedo history={history} back={back} />
        <Do act="playThrough" on={through} onClick={() => (through ? setThrough(false) : playAll())}>
          Play through
        </Do>
        <Do main act="commit" disabled={!kept.length} onClick={() => void make()}>
          Make {kept.length} one-shots
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
                  rows={rows.rows}
                  within={rows.within}
                  onWithin={rows.setWithin}
                  onFind={find}
                  onLike={like}
                  onDropOthers={() => {
                    dropAll(new Set(pieces.filter((piece) => !inBand.has(piece.id)).map((piece) => piece.id)));
                    rows.setWithin(null);
                  }}
                />
              </Tabs.Content>
              <Tabs.Content value="Finish" css={STACKED}>
                <Finished sound={loaded.sound} plan={plan} piece={current} finished={hearing.finished} />
                <FinishPanel plan={plan} loudest={rows.loudest} onFinish={finish} onPlan={change} />
              </Tabs.Content>
              <Tabs.Content value="Kits" css={STACKED}>
                <KitPanel
                  plan={plan}
                  shown={rows.kit}
                  onShow={rows.setKit}
                  onDeal={deal}
                  onPlay={(number) =>
                    setOnKeys({ name: plan.kits[number].name, ids: plan.kits[number].slices.filter((id) => kept.some((row) => row.id === id)) })
                  }
                  onSettings={(kitting) => change({ kitting }, "kitting")}
                  chosen={several.map((row) => row.id)}
                  onEdit={edit}
                  onClear={() => {
                    rows.setKit(null);
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
                <SliceWaves
                  view={view}
                  rows={rows}
                  opened={opened.data ?? null}
                  zoom={zoom}
                  onZoom={setZoom}
                  marked={isLong ? loop : null}
                  onMark={(part) => {
                    if (!part || !opened.data) return;
                    if (!isLong) player.show({ opened: opened.data, title: loaded.name, lufs: null, matchDb: 0 });
                    player.setLoop(part);
                  }}
                  onPlayFrom={(at) => {
                    setPlayingSlice(null);
                    if (opened.data) void player.play({ opened: opened.data, title: loaded.name, lufs: null, matchDb: 0 }, at);
                  }}
                  onBand={(id) => choose(id, false)}
                  onEdge={(id, edge, at) =>
                    edit({ do: "move", id, start_s: edge === "start" ? at : null, end_s: edge === "end" ? at : null, by_s: null })
                  }
                  onSensitivity={(sensitivity_db) => find({ ...view.plan.settings, sensitivity_db }, "sensitivity_db")}
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
                    const row = rows.rows.find((one) => one.id === id);
                    return row ? `Slice ${row.no}, ${seconds(row.end_s - row.start_s)}` : "";
                  }}
                  onHit={(id) => choose(id, false)}
                  onClose={() => setOnKeys(null)}
                />
              ) : (
                <>
                  <SliceActs
                    rows={rows}
                    acts={acts}
                    raw={raw}
                    onBest={() => dropAll(new Set(spare.map((row) => row.id)))}
                    onSnap={() => edit({ do: "snap", ids: several.map((row) => row.id) })}
                    onAdd={isLong && loop ? () => edit({ do: "add", start_s: loop[0], end_s: loop[1] }) : null}
                  />
                  <SliceTable
                    rows={rows.shown}
                    chosen={rows.chosen}
                    together={rows.together}
                    sorted={rows.sorted}
                    onSort={rows.setSorted}
                    onChoose={choose}
                    onMore={rows.chooseMore}
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
