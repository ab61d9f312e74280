/** The review reel: raw takes in a row, marked by single keys while they play; what is kept becomes selects in one gesture. */
import { Box, Flex } from "@chakra-ui/react";
import { useQueries, useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, got, type Node, type Step } from "../../api/client";
import { freshStep } from "../../between/send";
import { putOnSheet } from "../../between/sheet";
import { SavedChains } from "../../chain/SavedChains";
import { StepList } from "../../chain/StepList";
import { UndoRedo } from "../../documents/UndoRedo";
import { useDocument } from "../../documents/useDocument";
import { live, player, TEMPOS, useListening } from "../../listening/player";
import { whenDone } from "../../session/jobs";
import { complain, queries, tell, useShared } from "../../session/store";
import { type Band, type Hint, WaveView } from "../../timeline/WaveView";
import { clock } from "../../ui/format";
import { useKeys } from "../../ui/keys";
import { Bar, Do, Fact, Heading, Line, Num, Side, TextField, Title } from "../../ui/parts";
import { useRanges } from "../../ui/ranges";
import { MarkRows } from "./MarkRows";
import {
  afterSilence,
  COLOURS,
  HINTS,
  type Mark,
  type MarkKind,
  onStrip,
  partHeard,
  placeOf,
  type Reel,
  type ReelView,
  type Suggestions,
} from "./marks";
import { ReelChoice } from "./ReelChoice";

export function ReelBoard({ loaded }: { loaded: ReelView }) {
  const range = useRanges();
  const library = useShared((state) => state.library);
  const [view, setView] = useState(loaded);
  const [chosen, setChosen] = useState<number | null>(null);
  const [step, setStep] = useState<string | null>(null);
  const [raw, setRaw] = useState(false);
  const [skipping, setSkipping] = useState(false);
  const naming = useRef<HTMLInputElement>(null);
  const total = view.seconds;
  const [zoom, setZoom] = useState<[number, number]>([0, Math.min(total, 90)]);
  const keep = (fresh: ReelView) => {
    setView(fresh);
    queries.setQueryData(["reel", library, loaded.id], fresh);
  };
  const history = useDocument<Reel>({
    what: "reel",
    id: loaded.id,
    first: loaded.reel,
    revision: loaded.revision,
    called: loaded.name,
    save: async (reel, based_on, init) => {
      const fresh = await got(
        api.PUT("/api/lib/{library}/reels/{id}", { params: { path: { library, id: loaded.id }, query: { based_on } }, body: reel, ...init }),
      );
      keep(fresh);
      const taken = fresh.refused ? { doc: fresh.reel, refused: `${fresh.refused} That step was taken back; the marks are kept.` } : {};
      return { revision: fresh.revision, ...taken };
    },
    read: async () => {
      const fresh = await got(api.GET("/api/lib/{library}/reels/{id}", { params: { path: { library, id: loaded.id } } }));
      keep(fresh);
      return { doc: fresh.reel, revision: fresh.revision };
    },
  });
  const reel = history.doc ?? loaded.reel;
  // marks as they are now, names and sums as the server told last
  const now = useMemo((): ReelView => ({ ...view, reel }), [view, reel]);
  const change = (values: Partial<Reel>, gesture?: string) => history.change({ ...(history.now() ?? reel), ...values }, gesture);

  const told = useQueries({
    queries: view.takes.map((take) => ({
      queryKey: ["suggested", library, take.id],
      staleTime: Number.POSITIVE_INFINITY,
      queryFn: () => got(api.GET("/api/lib/{library}/suggestions/{id}", { params: { path: { library, id: take.id } } })),
    })),
  });
  const suggested = useMemo(
    () => Object.fromEntries(view.takes.map((take, i) => [take.id, told[i]?.data])) as Record<number, Suggestions | undefined>,
    [view.takes, told],
  );
  const found = useMemo(() => onStrip(now, suggested), [now, suggested]);

  const target = (raw ? view.raw : view.now) as Node;
  const opened = useQuery({
    queryKey: ["opened", library, "reel", target],
    placeholderData: (before) => before,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.POST("/api/lib/{library}/open", { params: { path: { library } }, body: { node: target, sound: null, chain: [] } })),
  });
  // the picture is that of the raw takes: it stands still while steps are tried, and marks are set on it
  const drawn = useQuery({
    queryKey: ["opened", library, "reel", view.raw],
    placeholderData: (before) => before,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () =>
      got(api.POST("/api/lib/{library}/open", { params: { path: { library } }, body: { node: view.raw as Node, sound: null, chain: [] } })),
  });
  const follows = useCallback((key: string) => key === opened.data?.key || key === drawn.data?.key, [opened.data, drawn.data]);
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
  }, [opened.data?.key]);
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

  const spans = useMemo(
    () =>
      reel.marks.map((mark): [number, number] => {
        const start = view.takes.find((take) => take.id === mark.take)?.start_s ?? 0;
        return [start + mark.start_s, start + mark.end_s];
      }),
    [reel.marks, view.takes],
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

  const markAt = (at: number): Mark | undefined => {
    const here = reel.marks.filter((_, i) => at >= spans[i][0] && at <= spans[i][1]);
    return here.find((mark) => mark.id === chosen) ?? here[0];
  };
  const add = (take: number, [start, end]: [number, number], kind: MarkKind, chain: Reel["chain"] = []) => {
    const { marks } = history.now() ?? reel;
    const id = Math.max(0, ...marks.map((mark) => mark.id)) + 1;
    const mark: Mark = { id, take, start_s: Number(start.toFixed(4)), end_s: Number(end.toFixed(4)), kind, words: "", category: "", chain };
    change({ marks: [...marks, mark] });
    setChosen(id);
  };
  const markAs = (kind: MarkKind) => {
    const at = strip();
    const known = loop && mine ? undefined : markAt(at);
    const chain = kind === "material" ? reel.chain : [];
    if (known) {
      setChosen(known.id);
      if (known.kind !== kind) change({ marks: reel.marks.map((mark) => (mark.id === known.id ? { ...mark, kind, chain } : mark)) });
      return;
    }
    const part = partHeard(now, found, at, mine ? loop : null, kind);
    if (!part) {
      tell("There is nothing to mark here yet: play on, or drag over a part.");
      return;
    }
    add(placeOf(now, mine && loop ? loop[0] : at).take.id, part, kind, chain);
    if (mine && loop) player.setLoop(null);
  };
  const quiet = (take: number) => suggested[take]?.found.find((one) => one.kind === "quiet");
  const current = reel.marks.find((mark) => mark.id === chosen);
  const alter = (id: number, values: Partial<Mark>, gesture?: string) =>
    change({ marks: reel.marks.map((mark) => (mark.id === id ? { ...mark, ...values } : mark)) }, gesture);
  const remove = (id: number) => {
    change({ marks: reel.marks.filter((mark) => mark.id !== id) });
    setChosen(null);
  };
  const setEdge = (id: number, edge: "start" | "end", at: number, gesture?: string) => {
    const mark = reel.marks.find((one) => one.id === id);
    const take = view.takes.find((one) => one.id === mark?.take);
    if (!mark || !take) return;
    const own = Number(Math.min(take.seconds, Math.max(0, at - take.start_s)).toFixed(4));
    if (edge === "start" ? own < mark.end_s - 0.02 : own > mark.start_s + 0.02)
      alter(id, edge === "start" ? { start_s: own } : { end_s: own }, gesture);
  };
  const nudge = (event: KeyboardEvent, sign: number) => {
    const take = view.takes.find((one) => one.id === current?.take);
    if (current && take) setEdge(current.id, "start", take.start_s + current.start_s + sign * (event.shiftKey ? 0.1 : 0.01), `nudge ${current.id}`);
  };
  const jump = (by: 1 | -1) => {
    const at = strip();
    const starts = [
      ...new Set([
        ...found.filter((one) => one.kind === "event").map((one) => one.start),
        ...spans.filter((_, i) => reel.marks[i].kind !== "noise").map(([start]) => start),
      ]),
    ].sort((a, b) => a - b);
    const next = by > 0 ? starts.find((start) => start > at + 0.15) : starts.findLast((start) => start < at - 0.6);
    if (next === undefined) return;
    play(next);
    setChosen(reel.marks.find((_, i) => Math.abs(spans[i][0] - next) < 0.001)?.id ?? null);
  };
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

  const bands = useMemo(
    (): Band[] =>
      reel.marks.map((mark, i) => ({
        id: mark.id,
        start: spans[i][0],
        end: spans[i][1],
        label: mark.words || mark.kind,
        chosen: mark.id === chosen,
        dropped: false,
        colour: COLOURS[mark.kind],
      })),
    [reel.marks, spans, chosen],
  );
  const hints = useMemo(
    (): Hint[] =>
      found.map((one) => ({ start: one.start, end: one.end, colour: HINTS[one.kind] ?? "dim", label: one.kind === "event" ? "" : one.kind })),
    [found],
  );
  const put = (kind: string, params: Record<string, unknown> = {}) => {
    if (reel.chain.some((one) => one.kind === kind)) return;
    const fresh = freshStep(kind, params);
    change({ chain: [...reel.chain, fresh] });
    setStep(fresh.id ?? null);
  };
  const waiting = told.filter((one) => one.isPending).length;
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
        <Title>{view.name}</Title>
        <ReelChoice />
        <Box flex={1} />
        <UndoRedo history={history} />
        <Do main act="commit" disabled={!made} onClick={() => void make()}>
          Make {made} {made === 1 ? "select" : "selects"}
        </Do>
      </Bar>
      <Flex flex={1} minH={0}>
        <Flex direction="column" flex={1} minW={0}>
          <WaveView
            opened={drawn.data ?? null}
            follows={follows}
            height={40}
            bands={bands}
            marked={zoom}
            onMark={(part) => part && part[1] - part[0] > 0.5 && setZoom(part)}
            onPlayFrom={play}
            view={[0, total]}
            onView={() => {}}
            label={`All takes of ${view.name}; drag to choose what is shown below`}
          />
          <WaveView
            opened={drawn.data ?? null}
            follows={follows}
            height={214}
            hints={hints}
            view={zoom}
            onView={setZoom}
            label={`Takes of ${view.name}; the table below lists the marks`}
            {...bandProps}
          />
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
        </Flex>
        <Side label="Takes and their chain" width="306px">
          <Heading>Takes</Heading>
          {view.takes.map((take) => {
            const one = suggested[take.id];
            const count = (kind: string) => one?.found.filter((each) => each.kind === kind).length ?? 0;
            const bumps = count("bump");
            const cut = one?.found.filter((each) => each.kind === "clipped").reduce((sum, each) => sum + each.strength, 0) ?? 0;
            return (
              <Box key={take.id} borderLeft="3px solid" borderColor="line" pl="8px" data-take={take.id}>
                <Flex justify="space-between" gap="8px">
                  <Do quiet hint="Play from the start of this take" onClick={() => play(take.start_s)}>
                    {take.name}
                  </Do>
                  <Box fontFamily="mono" fontSize="11px" color="dim">
                    {clock(take.seconds, 0)}
                  </Box>
                </Flex>
                <Flex gap="4px" wrap="wrap" fontSize="12px" color="dim" align="center">
                  {!one && (waiting ? "listening for events …" : "")}
                  {one && (
                    <Box as="span">
                      {count("event")} events over {one.floor_dbfs.toFixed(0)} dBFS
                    </Box>
                  )}
                  {one && quiet(take.id) && !reel.marks.some((mark) => mark.take === take.id && mark.kind === "noise") && (
                    <Do
                      quiet
                      hint="Mark a quiet stretch that was found as noise alone: the profile is learned from it"
                      onClick={() => {
                        const part = quiet(take.id);
                        if (part) add(take.id, [part.start_s, part.end_s], "noise");
                      }}
                    >
                      quiet at {quiet(take.id)?.start_s.toFixed(1)} s
                    </Do>
                  )}
                  {one?.hum_hz && (
                    <Do quiet hint="Put a step against it into the chain" onClick={() => put("hum")}>
                      hum at {one.hum_hz.toFixed(2)} Hz
                    </Do>
                  )}
                  {bumps > 0 && (
                    <Do quiet hint="Put a step against them into the chain" onClick={() => put("bumps")}>
                      {bumps} {bumps === 1 ? "bump" : "bumps"}
                    </Do>
                  )}
                  {cut > 0 && (
                    <Do quiet hint="Put a step that rebuilds them into the chain" onClick={() => put("clipped")}>
                      {cut} cut {cut === 1 ? "peak" : "peaks"}
                    </Do>
                  )}
                </Flex>
              </Box>
            );
          })}
          <Num
            {...range("Reel", "gap_s")}
            label="Gap between takes"
            unit="s"
            value={reel.gap_s}
            low={0}
            high={60}
            normal={10}
            digits={0}
            onChange={(gap_s, gesture) => change({ gap_s }, gesture)}
          />
          <Num
            {...range("Reel", "shortest_s")}
            label="Short is under"
            unit="s"
            value={reel.shortest_s}
            low={0}
            high={120}
            normal={16}
            digits={0}
            onChange={(shortest_s, gesture) => change({ shortest_s }, gesture)}
          />
          <Line />
          <Heading>Steps for all takes</Heading>
          <Box color="dim" fontSize="12px">
            A noise profile is learned from what is marked as noise, take by take; without a mark from its quietest stretch. Selects start with these
            steps.
          </Box>
          <StepList
            chain={reel.chain as Step[]}
            onChange={(chain, gesture) => change({ chain }, gesture)}
            chosen={step}
            onChoose={setStep}
            channels={Math.max(...view.takes.map((take) => take.channels))}
          />
          {!reel.chain.some((one) => one.kind === "noise_reduction") && (
            <Box>
              <Do quiet onClick={() => put("noise_reduction")}>
                Reduce noise
              </Do>
            </Box>
          )}
          <SavedChains chain={reel.chain as Step[]} onChange={(chain) => change({ chain })} />
          <Line />
          <Heading>Names of selects</Heading>
          <TextField label="Template for names of selects" value={reel.template} mono onCommit={(template) => change({ template })} />
          <Box color="dim" fontSize="12px">
            {"{code} {category} {place} {words} {take} {date} {number:2}"}
          </Box>
          <Fact name="Noise marked">{clock(view.usable.noise_s, 1)}</Fact>
        </Side>
      </Flex>
    </Flex>
  );
}
