import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Node, type Plan, type Schemas } from "../../api/client";
import { putOnSheet } from "../../between/sheet";
import { UndoRedo } from "../../documents/UndoRedo";
import { useDocument } from "../../documents/useDocument";
import { live, player, useListening } from "../../listening/player";
import { whenDone } from "../../session/jobs";
import { complain, tell, useShared } from "../../session/store";
import { type Band, WaveView } from "../../timeline/WaveView";
import { clock, seconds } from "../../ui/format";
import { useKeys } from "../../ui/keys";
import { Bar, Do, Empty, Heading, Line, Num, Pick, Side, Title } from "../../ui/parts";
import { useRanges } from "../../ui/ranges";
import { Lengths } from "./Lengths";

type PlanView = Schemas["PlanView"];
type Edit = Schemas["Edited"]["edit"];

export default function Slice() {
  const library = useShared((state) => state.library);
  const number = useShared((state) => state.sliceSound);
  const go = useNavigate();
  const plans = useQuery({
    queryKey: ["plans", library],
    queryFn: () => got(api.GET("/api/lib/{library}/plans", { params: { path: { library } } })),
  });
  const first = plans.data?.[0]?.sound;
  useEffect(() => {
    if (number === null && first !== undefined) useShared.setState({ sliceSound: first });
  }, [number, first]);
  const view = useQuery({
    queryKey: ["plan", library, number],
    enabled: number !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/plans/{id}", { params: { path: { library, id: number ?? 0 } } })),
  });
  if (view.data) return <Board key={view.data.sound} loaded={view.data} />;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>Slice</Title>
      </Bar>
      <Empty
        action={
          <Do main onClick={() => go("/gather")}>
            Choose a long sound in Gather
          </Do>
        }
      >
        {view.error ? (
          <Box role="alert" color="coral">
            {view.error.message}
          </Box>
        ) : number !== null ? (
          "Measuring the sound …"
        ) : (
          "A long sound is cut into one-shots here: slices are found from its measured noise floor, corrected by eye and ear, and finished alike. Choose a sound in Gather and press C."
        )}
      </Empty>
    </Flex>
  );
}

function Board({ loaded }: { loaded: PlanView }) {
  const range = useRanges();
  const library = useShared((state) => state.library);
  const go = useNavigate();
  const [view, setView] = useState(loaded);
  const [chosen, setChosen] = useState<number | null>(loaded.plan.slices[0]?.id ?? null);
  const [raw, setRaw] = useState(false);
  const [through, setThrough] = useState(false);
  const [bandS, setBandS] = useState<[number, number] | null>(null);
  const total = loaded.seconds;
  const [zoom, setZoom] = useState<[number, number]>([0, Math.min(total, Math.max(6, total / 18))]);
  const path = { library, id: loaded.sound };
  const history = useDocument<Plan>({
    what: "plan",
    id: loaded.sound,
    first: loaded.plan,
    revision: loaded.revision,
    called: `The plan of ${loaded.name}`,
    save: async (plan, based_on, init) => {
      const fresh = await got(api.PUT("/api/lib/{library}/plans/{id}", { params: { path, query: { based_on } }, body: plan, ...init }));
      setView(fresh);
      return { revision: fresh.revision };
    },
    read: async () => {
      const fresh = await got(api.GET("/api/lib/{library}/plans/{id}", { params: { path } }));
      setView(fresh);
      return { doc: fresh.plan, revision: fresh.revision };
    },
  });
  const plan = history.doc ?? loaded.plan;
  const node = loaded.node as Node;
  const opened = useQuery({
    queryKey: ["opened", library, "slice", loaded.sound],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.POST("/api/lib/{library}/open", { params: { path: { library } }, body: { node, sound: null, chain: [] } })),
  });
  const heard = useListening((state) => state.heard);
  const playing = useListening((state) => state.playing);
  const loop = useListening((state) => state.loop);
  const [playingSlice, setPlayingSlice] = useState<number | null>(null);

  // what changes the plan goes to the server one after the other, in the order of the keys pressed
  const turn = useRef(Promise.resolve());
  const inTurn = (work: () => Promise<void>) => {
    turn.current = turn.current.then(work).catch(complain);
  };
  const asking = useRef(0);
  const find = (settings: Plan["settings"], gesture: string) => {
    const mine = ++asking.current;
    const asked = Date.now();
    setView((before) => ({ ...before, plan: { ...plan, settings } }));
    inTurn(async () => {
      if (mine !== asking.current) return; // newer settings wait already
      await history.saved();
      const fresh = await got(api.POST("/api/lib/{library}/plans/{id}/find", { params: { path }, body: settings }));
      setView(fresh);
      history.accept(fresh.plan, fresh.revision, gesture, asked);
    });
  };
  const edit = (change: Edit, gesture?: string) => {
    const asked = Date.now();
    return inTurn(async () => {
      await history.saved();
      const fresh = await got(api.POST("/api/lib/{library}/plans/{id}/edit", { params: { path }, body: { edit: change } }));
      setView(fresh);
      history.accept(fresh.plan, fresh.revision, gesture, asked);
    });
  };
  const back = (way: () => void) =>
    inTurn(async () => {
      way();
      await history.saved();
    });
  const settings = view.plan.settings;
  const pieces = plan.slices;
  const inLengths = useCallback(
    (piece: { start_s: number; end_s: number }) => !bandS || (piece.end_s - piece.start_s >= bandS[0] && piece.end_s - piece.start_s <= bandS[1]),
    [bandS],
  );
  const shown = useMemo(() => pieces.map((piece, i) => ({ ...piece, no: i + 1 })).filter(inLengths), [pieces, inLengths]);
  const kept = pieces.filter((piece) => !piece.dropped).length;
  const current = pieces.find((piece) => piece.id === chosen) ?? null;

  const play = async (piece: { id: number; start_s: number; end_s: number }, no: number) => {
    setChosen(piece.id);
    setPlayingSlice(piece.id);
    const found = await player.open(
      {
        node: raw
          ? { kind: "excerpt", node, start_s: piece.start_s, end_s: piece.end_s }
          : { kind: "chained", from_zero: false, node: { kind: "excerpt", node, start_s: piece.start_s, end_s: piece.end_s }, chain: view.finishing },
      },
      library,
      `Slice ${no} of ${loaded.name}`,
    );
    if (found) await player.play(found);
  };
  const choose = (id: number, sound = true) => {
    const at = shown.findIndex((piece) => piece.id === id);
    if (at < 0) return;
    const piece = shown[at];
    setChosen(id);
    if (piece.start_s < zoom[0] || piece.end_s > zoom[1]) {
      const span = zoom[1] - zoom[0];
      const start = Math.max(0, Math.min(total - span, piece.start_s - span * 0.3));
      setZoom([start, start + span]);
    }
    if (sound) void play(piece, piece.no);
  };
  const step = (by: number) => {
    const at = shown.findIndex((piece) => piece.id === chosen);
    const next = shown[Math.max(0, Math.min(shown.length - 1, at + by))];
    if (next) choose(next.id);
  };
  // play through: the next kept slice follows when one ends
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the end of a sound is a reason
  useEffect(() => {
    if (playing || !through || playingSlice === null) return;
    const after = shown.filter((piece) => !piece.dropped);
    const next = after[after.findIndex((piece) => piece.id === playingSlice) + 1];
    if (next && live.position === 0) choose(next.id);
    else setThrough(false);
  }, [playing]);
  const playheadS = () => {
    const listening = useListening.getState().heard;
    if (!listening) return current ? (current.start_s + current.end_s) / 2 : 0;
    const own = live.position / listening.opened.rate;
    return listening.opened.key === opened.data?.key ? own : (pieces.find((piece) => piece.id === playingSlice)?.start_s ?? 0) + own;
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
      const started = await got(api.POST("/api/lib/{library}/plans/{id}/make", { params: { path } }));
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
    drop: () => current && edit({ do: "drop", id: current.id, dropped: !current.dropped }),
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
    commit: () => void make(),
    leave: () => {
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
        chosen: piece.id === chosen,
        dropped: piece.dropped || !inLengths(piece),
      })),
    [pieces, chosen, inLengths],
  );
  const finish = plan.finish;
  const change = (values: Partial<Plan["finish"]>, gesture?: string) => history.change({ ...plan, finish: { ...finish, ...values } }, gesture);
  const set = (name: keyof Plan["settings"]) => (value: number) => find({ ...settings, [name]: value }, name);
  const isLong = opened.data && heard?.opened.key === opened.data.key;
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
      <Flex flex={1} minH={0}>
        <Flex direction="column" flex={1} minW={0}>
          <WaveView
            opened={opened.data ?? null}
            height={48}
            marked={zoom}
            onMark={(part) => part && part[1] - part[0] > 0.02 && setZoom(part)}
            onPlayFrom={(at) => {
              const span = zoom[1] - zoom[0];
              const start = Math.max(0, Math.min(total - span, at - span / 2));
              setZoom([start, start + span]);
            }}
            view={[0, total]}
            onView={() => {}}
            label={`All of ${loaded.name}; drag to choose what is shown below`}
          />
          <WaveView
            opened={opened.data ?? null}
            height={178}
            marked={isLong ? loop : null}
            onMark={(part) => {
              if (part && opened.data) {
                const sound = { opened: opened.data, title: loaded.name, lufs: null, matchDb: 0 };
                if (!isLong) player.show(sound);
                player.setLoop(part);
              }
            }}
            onPlayFrom={(at) => {
              setPlayingSlice(null);
              if (opened.data) void player.play({ opened: opened.data, title: loaded.name, lufs: null, matchDb: 0 }, at);
            }}
            bands={bands}
            onBand={(id) => choose(id, false)}
            onEdge={(id, edge, at) => edit({ do: "move", id, start_s: edge === "start" ? at : null, end_s: edge === "end" ? at : null, by_s: null })}
            threshold={view.floor_dbfs + settings.sensitivity_db}
            floor={view.floor_dbfs}
            onThreshold={(dbfs) => set("sensitivity_db")(Math.min(60, Math.max(1, Number((dbfs - view.floor_dbfs).toFixed(1)))))}
            view={zoom}
            onView={setZoom}
            label={`Slices of ${loaded.name}; the table below lists them`}
          />
          <Flex gap="8px" px="12px" py="6px" borderTop="1px solid" borderBottom="1px solid" borderColor="line" flexShrink={0}>
            <Do act="split" disabled={!current} onClick={() => current && edit({ do: "split", id: current.id, at_s: playheadS() })}>
              Split
            </Do>
            <Do act="merge" disabled={!current} onClick={() => current && edit({ do: "merge", id: current.id })}>
              Merge with next
            </Do>
            <Do act="drop" disabled={!current} onClick={() => current && edit({ do: "drop", id: current.id, dropped: !current.dropped })}>
              {current?.dropped ? "Take back" : "Drop"}
            </Do>
            <Do
              disabled={!isLong || !loop}
              onClick={() => loop && edit({ do: "add", start_s: loop[0], end_s: loop[1] })}
              hint="Make the marked part a slice"
            >
              Slice from mark
            </Do>
            <Box flex={1} />
            <Do act="finished" on={!raw} onClick={() => setRaw(!raw)}>
              {raw ? "Heard raw" : "Heard finished"}
            </Do>
          </Flex>
          <SliceTable rows={shown} chosen={chosen} onChoose={choose} />
        </Flex>
        <Side label="Find and finish">
          <Heading>Find</Heading>
          {!view.floor_visible && (
            <Box color="amber" fontSize="12px">
              This sound is dense: no quiet moment shows its floor, so the threshold starts from its quietest tenth.
            </Box>
          )}
          {pieces.length === 0 && (
            <Box color="amber" role="status">
              Nothing was found. Lower the sensitivity or the shortest length; a silent file has no slices.
            </Box>
          )}
          <Num
            {...range("SliceSettings", "sensitivity_db")}
            label="Sensitivity"
            value={settings.sensitivity_db}
            unit="dB over floor"
            low={1}
            high={60}
            digits={1}
            step={0.5}
            normal={12}
            onChange={set("sensitivity_db")}
          />
          <Num
            {...range("SliceSettings", "min_length_ms")}
            label="Shortest"
            value={settings.min_length_ms}
            unit="ms"
            low={1}
            high={5000}
            digits={0}
            normal={40}
            log
            onChange={set("min_length_ms")}
          />
          <Num
            {...range("SliceSettings", "min_gap_ms")}
            label="Gap"
            value={settings.min_gap_ms}
            unit="ms"
            low={1}
            high={5000}
            digits={0}
            normal={60}
            log
            onChange={set("min_gap_ms")}
          />
          <Num
            {...range("SliceSettings", "pre_roll_ms")}
            label="Before the attack"
            value={settings.pre_roll_ms}
            unit="ms"
            low={0}
            high={200}
            digits={1}
            normal={2}
            onChange={set("pre_roll_ms")}
          />
          <Num
            {...range("SliceSettings", "tail_ms")}
            label="After the end"
            value={settings.tail_ms}
            unit="ms"
            low={0}
            high={2000}
            digits={0}
            normal={30}
            onChange={set("tail_ms")}
          />
          <Do
            on={settings.attacks}
            onClick={() => find({ ...settings, attacks: !settings.attacks }, "attacks")}
            hint="A steep attack inside a sound begins a new slice"
          >
            Attacks inside begin a slice
          </Do>
          {settings.attacks && (
            <Num
              {...range("SliceSettings", "rise_db")}
              label="Steepness"
              value={settings.rise_db}
              unit="dB"
              low={3}
              high={40}
              digits={1}
              normal={10}
              onChange={set("rise_db")}
            />
          )}
          <Line />
          <Heading>Lengths</Heading>
          <Lengths lengths={pieces.map((piece) => piece.end_s - piece.start_s)} band={bandS} onBand={setBandS} />
          {bandS && (
            <Flex gap="6px" wrap="wrap">
              <Do
                onClick={() => {
                  history.change({ ...plan, slices: pieces.map((piece) => (inLengths(piece) ? piece : { ...piece, dropped: true, touched: true })) });
                  setBandS(null);
                }}
              >
                Drop the others
              </Do>
              <Do quiet onClick={() => setBandS(null)}>
                Show all
              </Do>
            </Flex>
          )}
          <Line />
          <Heading>Finish every slice</Heading>
          <Num
            {...range("Finish", "peak_dbfs")}
            label="Level each to"
            value={finish.peak_dbfs ?? 0}
            unit="dBFS"
            low={-24}
            high={0}
            digits={1}
            normal={-1}
            onChange={(value, gesture) => change({ peak_dbfs: value }, gesture)}
          />
          <Pick
            label="Level"
            value={finish.peak_dbfs === null ? "as it is" : "each to its peak"}
            options={["each to its peak", "as it is"]}
            onChange={(value) => change({ peak_dbfs: value === "as it is" ? null : -1 })}
          />
          <Pick
            label="Channels"
            value={finish.mono ? "mono" : "as they are"}
            options={["as they are", "mono"]}
            onChange={(value) => change({ mono: value === "mono" })}
          />
          <Num
            {...range("Finish", "fade_in_ms")}
            label="Fade in"
            value={finish.fade_in_ms}
            unit="ms"
            low={0}
            high={500}
            digits={1}
            normal={1}
            onChange={(value, gesture) => change({ fade_in_ms: value }, gesture)}
          />
          <Num
            {...range("Finish", "fade_out_ms")}
            label="Fade out"
            value={finish.fade_out_ms}
            unit="ms"
            low={0}
            high={2000}
            digits={1}
            normal={12}
            onChange={(value, gesture) => change({ fade_out_ms: value }, gesture)}
          />
          <Line />
          <Do onClick={() => go("/ship")}>Go on to Ship</Do>
        </Side>
      </Flex>
    </Flex>
  );
}

function SliceTable({
  rows,
  chosen,
  onChoose,
}: {
  rows: { id: number; no: number; start_s: number; end_s: number; attack_s: number; touched: boolean; dropped: boolean }[];
  chosen: number | null;
  onChoose: (id: number) => void;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const list = useVirtualizer({ count: rows.length, getScrollElement: () => scroller.current, estimateSize: () => 27, overscan: 10 });
  const at = rows.findIndex((row) => row.id === chosen);
  useEffect(() => {
    if (at >= 0) list.scrollToIndex(at);
  }, [at, list]);
  return (
    <Flex direction="column" flex={1} minH={0} role="table" aria-label="Slices" aria-rowcount={rows.length}>
      <Flex role="row" px="14px" gap="10px" h="24px" align="center" color="dim" fontSize="12px" flexShrink={0}>
        {["No", "Start", "Attack", "End", "Length", ""].map((title) => (
          <Box key={title} role="columnheader" w={title === "No" ? "44px" : "110px"}>
            {title}
          </Box>
        ))}
      </Flex>
      <Box ref={scroller} flex={1} overflowY="auto" minH={0}>
        <Box h={`${list.getTotalSize()}px`} position="relative">
          {list.getVirtualItems().map((item) => {
            const row = rows[item.index];
            return (
              <Flex
                key={row.id}
                role="row"
                aria-selected={row.id === chosen}
                data-slice={row.id}
                position="absolute"
                left={0}
                right={0}
                transform={`translateY(${item.start}px)`}
                h="27px"
                align="center"
                px="14px"
                gap="10px"
                fontFamily="mono"
                fontSize="12px"
                cursor="pointer"
                opacity={row.dropped ? 0.5 : 1}
                bg={row.id === chosen ? "raised" : undefined}
                borderBottom="1px solid"
                borderColor="line"
                onClick={() => onChoose(row.id)}
              >
                <Box w="44px">{row.no}</Box>
                <Box w="110px">{clock(row.start_s)}</Box>
                <Box w="110px">{clock(row.attack_s)}</Box>
                <Box w="110px">{clock(row.end_s)}</Box>
                <Box w="110px">{seconds(row.end_s - row.start_s)}</Box>
                <Box color="dim" fontFamily="body">
                  {row.dropped ? "dropped" : row.touched ? "by hand" : ""}
                </Box>
              </Flex>
            );
          })}
        </Box>
      </Box>
    </Flex>
  );
}
