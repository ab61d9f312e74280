/** The review reel: raw takes in a row, marked by single keys while they play; what is kept becomes selects in one gesture. */
import { Box, Flex } from "@chakra-ui/react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { putOnSheet } from "../../between/sheet";
import type { Hint } from "../../canvas/wave";
import { actsOf, rename } from "../../documents/named";
import { UndoRedo } from "../../documents/UndoRedo";
import { live, player } from "../../listening/player";
import { TEMPOS, useListening } from "../../listening/state";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { LongWave } from "../../timeline/LongWave";
import { Acts } from "../../ui/Acts";
import { Do } from "../../ui/buttons";
import { TextField } from "../../ui/fields";
import { clock } from "../../ui/format";
import { Bar, SpokenTitle } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Beside, Panes } from "../../ui/Panes";
import { MarkRows } from "./MarkRows";
import { afterSilence, COLOURS, HINTS, type Mark, type ReelView } from "./marks";
import { ReelChoice } from "./ReelChoice";
import { TakesPanel } from "./TakesPanel";
import { useMarking } from "./useMarking";
import { useReel } from "./useReel";

/** Height of both waveforms at first, and of that of all takes (px). */
const WAVES = 290;
const OVERVIEW = 40;

export function ReelBoard({ loaded }: { loaded: ReelView }) {
  const library = useShared((state) => state.library);
  const [raw, setRaw] = useState(false);
  const [skipping, setSkipping] = useState(false);
  const naming = useRef<HTMLInputElement>(null);
  const edited = useReel(loaded, raw);
  const { view, now, reel, history, found, opened, drawn, saved } = edited;
  const total = view.seconds;
  const told = { copy: "The same takes and marks once more", trash: "Takes and selects stay" };
  const acts = actsOf("reel", view.id, told, saved, (id) => useShared.setState({ reel: id }));
  const [zoom, setZoom] = useState<[number, number]>([0, Math.min(total, 90)]);
  const follows = useCallback((digest: string) => digest === opened.data?.digest || digest === drawn.data?.digest, [opened.data, drawn.data]);
  const heard = useListening((state) => state.heard);
  const loop = useListening((state) => state.loop);
  const tempo = useListening((state) => state.tempo);
  const title = view.name;
  const mine = heard?.title === title;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another rendering is the reason
  useEffect(() => {
    if (!opened.data || opened.isPlaceholderData) return;
    const next = { opened: opened.data, title, lufs: null, matchDb: 0 };
    if (useListening.getState().heard?.title === title) void player.swap(next);
    else player.show(next);
  }, [opened.data?.digest]);
  useEffect(() => () => player.setTempo(1), []);
  const strip = useCallback(() => {
    const playing = useListening.getState().heard;
    return playing && playing.title === title ? live.position / playing.opened.rate : 0;
  }, [title]);
  const show = (at: number, end = at) =>
    setZoom(([from, to]) => {
      if (at >= from && end <= to) return [from, to];
      const span = to - from;
      const start = Math.max(0, Math.min(total - span, at - span * 0.2));
      return [start, start + span];
    });
  const play = (at: number) => {
    if (opened.data) void player.play({ opened: opened.data, title, lufs: null, matchDb: 0 }, at);
    show(at);
  };

  const { chosen, setChosen, spans, bands, current, markAt, markAs, add, alter, remove, setEdge, nudge, jump } = useMarking(
    edited,
    strip,
    mine ? loop : null,
    play,
  );
  // the view goes along with what plays, and silence is skipped when that is wished
  useEffect(() => {
    let jumped = 0;
    return player.onTick(() => {
      const { playing, heard: sounding, loop: part } = useListening.getState();
      if (!playing || sounding?.title !== title) return;
      const at = live.position / sounding.opened.rate;
      setZoom(([from, to]) => {
        const span = to - from;
        if (at >= from && at <= to - span * 0.02) return [from, to];
        const start = Math.max(0, Math.min(total - span, at - span * 0.1));
        return [start, start + span];
      });
      if (!skipping || part || performance.now() - jumped < 200) return;
      const next = afterSilence(found, spans, at);
      if (next !== null && next - at > 0.3) {
        jumped = performance.now();
        player.seek(Math.max(0, next - 0.1));
      }
    });
  }, [skipping, found, spans, title, total]);

  const heardMark = (mark: Mark) => {
    const take = view.takes.find((one) => one.id === mark.take);
    if (!take || !opened.data) return;
    show(take.start_s + mark.start_s, take.start_s + mark.end_s);
    void player.play({ opened: opened.data, title, lufs: null, matchDb: 0 }, take.start_s + mark.start_s);
  };
  const make = async () => {
    try {
      await history.saved();
      const started = await got(api.POST("/api/lib/{library}/reels/{id}/selects", { params: { path: { library, id: loaded.id } } }));
      const { result } = await whenDone(started.job, "selects");
      if (!result) return;
      const made = result.sounds;
      for (const key of ["sounds", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
      await putOnSheet({ sounds: made });
      tell(
        `${made.length} ${made.length === 1 ? "select is" : "selects are"} in the library, with the chain they are heard through; they are on the sheet of Ship.`,
      );
    } catch (error) {
      complain(error);
    }
  };
  const faster = () => player.setTempo(TEMPOS[(TEMPOS.indexOf(tempo as (typeof TEMPOS)[number]) + 1) % TEMPOS.length]);
  useKeys({
    keep: () => markAs("keep"),
    maybe: () => markAs("maybe"),
    noiseOnly: () => markAs("noise"),
    material: () => markAs("material"),
    drop: () => {
      const mark = current ?? markAt(strip());
      if (mark) remove(mark.id);
    },
    skipSilence: () => setSkipping((one) => !one),
    faster,
    bypass: () => setRaw((one) => !one),
    next: () => jump(1),
    previous: () => jump(-1),
    left: (event) => nudge(event, -1),
    right: (event) => nudge(event, 1),
    trimStart: () => {
      const mark = current ?? markAt(strip());
      if (mark) setEdge(mark.id, "start", strip());
    },
    trimEnd: () => {
      const mark = current ?? markAt(strip());
      if (mark) setEdge(mark.id, "end", strip());
    },
    name: () => naming.current?.select(),
    undo: history.undo,
    redo: history.redo,
    commit: () => void make(),
    leave: () => (loop ? player.setLoop(null) : setChosen(null)),
  });

  const hints = useMemo(
    (): Hint[] =>
      found.map((one) => ({ start: one.start, end: one.end, colour: HINTS[one.kind] ?? "dim", label: one.kind === "event" ? "" : one.kind })),
    [found],
  );
  const made = reel.marks.filter((mark) => mark.kind === "keep" || mark.kind === "material").length;
  const bandProps = {
    bands,
    onBand: (id: number) => setChosen(id),
    onEdge: (id: number, edge: "start" | "end", at: number) => setEdge(id, edge, at),
    marked: mine ? loop : null,
    onMark: (part: [number, number] | null) => {
      if (!mine && opened.data) player.show({ opened: opened.data, title, lufs: null, matchDb: 0 });
      player.setLoop(part);
    },
    onPlayFrom: play,
  };
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <SpokenTitle>{view.name}</SpokenTitle>
        <Box w="200px" flexShrink={1} minW="110px">
          <TextField label="Name of the reel" value={view.name} onCommit={(name) => void saved().then(() => rename("reel", view.id, name))} />
        </Box>
        <ReelChoice />
        <Acts label="This reel" acts={acts} />
        <Box flex={1} />
        <UndoRedo history={history} />
        <Do main act="commit" disabled={!made} onClick={() => void make()}>
          Make {made} {made === 1 ? "select" : "selects"}
        </Do>
      </Bar>
      <Beside
        name="reel"
        label="the takes"
        width={306}
        side={<TakesPanel edited={edited} onPlay={play} onNoise={(take, part) => add(take, part, "noise")} />}
      >
        <Panes
          name="reel waves"
          stacked
          panes={[
            {
              id: "waves",
              label: "the waveforms",
              size: WAVES,
              least: 140,
              holds: (
                <LongWave
                  opened={drawn.data ?? null}
                  follows={follows}
                  seconds={total}
                  zoom={zoom}
                  onZoom={setZoom}
                  leastS={0.5}
                  height={WAVES}
                  wholeHeight={OVERVIEW}
                  whole={{ bands, onPlayFrom: play, label: `All takes of ${view.name}; drag to choose what is shown below` }}
                  part={{ ...bandProps, hints, label: `Takes of ${view.name}; the table below lists the marks` }}
                />
              ),
            },
            {
              id: "rows",
              label: "the marks",
              least: 110,
              holds: (
                <>
                  <Flex gap="6px" p="8px 14px" wrap="wrap" align="center" borderBottom="1px solid" borderColor="line" flexShrink={0}>
                    {(
                      [
                        ["keep", "keep", "Keep"],
                        ["maybe", "maybe", "Maybe"],
                        ["noise", "noiseOnly", "Noise"],
                        ["material", "material", "Material"],
                      ] as const
                    ).map(([kind, act, label]) => (
                      <Do key={kind} act={act} onClick={() => markAs(kind)}>
                        <Box w="8px" h="8px" borderRadius="full" bg={COLOURS[kind]} />
                        {label}
                      </Do>
                    ))}
                    <Box w="8px" />
                    <Do act="bypass" on={raw} onClick={() => setRaw(!raw)}>
                      Raw
                    </Do>
                    <Do act="skipSilence" on={skipping} onClick={() => setSkipping(!skipping)}>
                      Skip silence
                    </Do>
                    <Do act="faster" on={tempo !== 1} onClick={faster}>
                      <Box as="span" fontFamily="mono">
                        {tempo}×
                      </Box>
                    </Do>
                    <Box flex={1} />
                    <Box color="dim" fontSize="12px" data-testid="usable">
                      {clock(view.usable.kept_s, 1)} kept in {view.usable.kept}
                      {view.usable.maybe ? `, ${clock(view.usable.maybe_s, 1)} perhaps` : ""}
                      {view.usable.short.length ? `, ${view.usable.short.length} under ${reel.shortest_s} s` : ""}
                    </Box>
                  </Flex>
                  <MarkRows view={now} chosen={chosen} onChoose={setChosen} onPlay={heardMark} onChange={alter} onRemove={remove} naming={naming} />
                </>
              ),
            },
          ]}
        />
      </Beside>
    </Flex>
  );
}
