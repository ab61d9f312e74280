import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Member, type Mix, type Node, type Schemas, type Step } from "../../api/client";
import { level, seconds } from "../../app/format";
import { useHistory } from "../../app/history";
import { useKeys } from "../../app/keys";
import { Bar, Do, Empty, Fact, Heading, Line, Side, TextField, Title } from "../../app/parts";
import { StepList } from "../../app/StepList";
import { EMPTY_MIX, freshId, layerOf } from "../../app/send";
import { complain, queries, tell, useShared } from "../../app/store";
import { UndoRedo } from "../../app/UndoRedo";
import { useSettled } from "../../app/useSettled";
import { live, player, useListening } from "../../listening/player";
import { AddLayer } from "./AddLayer";
import { Lanes } from "./Lanes";
import { LayerPanel } from "./LayerPanel";

type Design = Schemas["DesignView"];

export default function Stack() {
  const library = useShared((state) => state.library);
  const number = useShared((state) => state.design);
  const designs = useQuery({
    queryKey: ["designs", library],
    staleTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/designs", { params: { path: { library } } })),
  });
  const [draft, setDraft] = useState<Design | null>(null);
  const project = useShared((state) => state.project);
  const list = designs.data?.filter((design) => design.project === project);
  const chosen = draft?.id === number ? draft : (list?.find((design) => design.id === number) ?? list?.[0]);
  useEffect(() => {
    if (chosen && chosen.id !== number) useShared.setState({ design: chosen.id });
  }, [chosen, number]);
  const begin = async () => {
    try {
      const made = await got(
        api.POST("/api/lib/{library}/designs", {
          params: { path: { library } },
          body: { name: `Design ${(list?.length ?? 0) + 1}`, mix: EMPTY_MIX, project: useShared.getState().project },
        }),
      );
      setDraft(made);
      useShared.setState({ design: made.id });
      void queries.invalidateQueries({ queryKey: ["designs"] });
      void queries.invalidateQueries({ queryKey: ["counts"] });
    } catch (error) {
      complain(error);
    }
  };
  if (!list || (designs.isFetching && !chosen)) return null;
  if (!chosen)
    return (
      <Flex direction="column" h="100%">
        <Bar>
          <Title>Stack</Title>
        </Bar>
        <Empty
          action={
            <Do main onClick={() => void begin()}>
              Begin a design
            </Do>
          }
        >
          Layers are lined up here on the strike line: each one's anchor lands on time zero. Begin a design, or choose a sound in Gather and press Y.
        </Empty>
      </Flex>
    );
  return <Bench key={chosen.id} design={chosen} designs={list} onNew={() => void begin()} />;
}

/** The mix as it is listened to: solo is for listening only. */
function soloed(mix: Mix, solo: string[]): Mix {
  return solo.length ? { ...mix, members: mix.members.map((member) => ({ ...member, mute: !solo.includes(member.id) })) } : mix;
}

function Bench({ design, designs, onNew }: { design: Design; designs: Design[]; onNew: () => void }) {
  const library = useShared((state) => state.library);
  const go = useNavigate();
  const [name, setName] = useState(design.name);
  const [chosen, setChosen] = useState<string | null>(design.mix.members[0]?.id ?? null);
  const [chosenStep, setChosenStep] = useState<string | null>(null);
  const [solo, setSolo] = useState<string[]>([]);
  const [adding, setAdding] = useState(false);
  const keep = (wanted: string, mix: Mix) =>
    got(
      api.PUT("/api/lib/{library}/designs/{number}", {
        params: { path: { library, number: design.id } },
        body: { name: wanted, mix, project: design.project },
      }),
    ).then(() => queries.invalidateQueries({ queryKey: ["designs"] }), complain);
  const history = useHistory<Mix>((mix) => keep(name, mix));
  const { load } = history;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the design is loaded once; later answers of the server are our own changes
  useEffect(() => load(design.mix as Mix), [load, design.id]);
  const mix = history.doc ?? (design.mix as Mix);
  const member = mix.members.find((one) => one.id === chosen) ?? null;
  const settled = useSettled(mix, 120);
  const layout = useQuery({
    queryKey: ["layout", library, settled],
    placeholderData: keepPreviousData,
    enabled: settled.members.length > 0,
    queryFn: () => got(api.POST("/api/lib/{library}/stack/layout", { params: { path: { library } }, body: settled })),
  });
  const sum = useQuery({
    queryKey: ["sum", library, settled],
    placeholderData: keepPreviousData,
    enabled: settled.members.length > 0,
    queryFn: () => got(api.POST("/api/lib/{library}/stack/sum", { params: { path: { library } }, body: settled })),
  });
  const listened = useMemo(() => soloed(settled, solo), [settled, solo]);
  const audible = listened.members.some((one) => !one.mute);
  const meters = settled.members.length ? sum.data : undefined;
  const opened = useQuery({
    queryKey: ["opened", library, listened],
    enabled: audible,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => player.opened({ node: listened as Node }, library, name),
  });
  const now = opened.data;
  // biome-ignore lint/correctness/useExhaustiveDependencies: only another rendering is a reason
  useEffect(() => {
    if (!now) return;
    const before = useListening.getState().heard;
    if (before?.title !== name) player.show(now);
    else {
      // the strike line may have moved inside the rendering: stay at the same moment around it
      const around = (live.position - before.opened.zero) / before.opened.rate;
      void player.swap(now, Math.max(0, around + now.opened.zero / now.opened.rate));
    }
  }, [now?.opened.key]);

  const change = (next: Mix, gesture?: string) => history.change(next, gesture);
  const edit = (id: string, values: Partial<Member>, gesture?: string) =>
    change({ ...mix, members: mix.members.map((one) => (one.id === id ? { ...one, ...values } : one)) }, gesture ? `${id} ${gesture}` : undefined);
  const add = async (sound: number) => {
    try {
      const layer = await layerOf(library, sound);
      change({ ...mix, members: [...mix.members, layer] });
      setChosen(layer.id);
    } catch (error) {
      complain(error);
    }
  };
  const remove = () => {
    if (!member) return;
    change({ ...mix, members: mix.members.filter((one) => one !== member) });
    setChosen(mix.members.find((one) => one !== member)?.id ?? null);
  };
  const printing = useRef(false);
  const print = async () => {
    if (printing.current) return;
    printing.current = true;
    try {
      const made = await got(
        api.POST("/api/lib/{library}/stack/print", { params: { path: { library } }, body: { mix, name: `${name} print`, category: "" } }),
      );
      for (const key of ["sounds", "counts", "arrivals", "state"]) void queries.invalidateQueries({ queryKey: [key] });
      tell(`${made.name} is in the library${solo.length ? "; it holds all layers that are not muted, solo is for listening only" : ""}.`);
    } catch (error) {
      complain(error);
    } finally {
      printing.current = false;
    }
  };
  const shift = (semitones: number) => member && edit(member.id, { pitch_st: Math.max(-48, Math.min(36, member.pitch_st + semitones)) }, "pitch");
  const nudge = (event: KeyboardEvent, sign: number) =>
    member && edit(member.id, { at_s: Number((member.at_s + sign * (event.shiftKey ? 0.01 : 0.001)).toFixed(6)) }, "nudge");
  const pick = (by: number) => {
    const at = mix.members.findIndex((one) => one.id === chosen);
    setChosen(mix.members[Math.max(0, Math.min(mix.members.length - 1, at + by))]?.id ?? null);
  };
  const toggleSolo = (id: string) => setSolo((before) => (before.includes(id) ? before.filter((one) => one !== id) : [...before, id]));
  /** The playhead in the time of the chosen layer's source, through its pitch and direction. */
  const trimTo = (edge: "start_s" | "end_s") => {
    const placed = layout.data?.layers.find((one) => one.id === chosen);
    const heard = useListening.getState().heard;
    if (!member || !placed || !heard) return;
    const now_ = (live.position - heard.opened.zero) / heard.opened.rate - placed.start_s;
    const factor = (member.keep_length ? 1 : 2 ** (member.pitch_st / 12)) / member.stretch;
    const span = placed.seconds * factor;
    const begun = member.start_s ?? 0;
    const at = Math.max(0, begun + (member.reverse ? span - now_ * factor : now_ * factor));
    const other = member.reverse ? (edge === "start_s" ? "end_s" : "start_s") : edge;
    edit(member.id, { [other]: Number(at.toFixed(6)) });
  };
  useKeys({
    undo: history.undo,
    redo: history.redo,
    next: () => pick(1),
    previous: () => pick(-1),
    left: (event) => nudge(event, -1),
    right: (event) => nudge(event, 1),
    octaveDown: () => shift(-12),
    octaveUp: () => shift(12),
    semitoneDown: () => shift(-1),
    semitoneUp: () => shift(1),
    reverse: () => member && edit(member.id, { reverse: !member.reverse }),
    mute: () => member && edit(member.id, { mute: !member.mute }),
    solo: () => member && toggleSolo(member.id),
    trimStart: () => trimTo("start_s"),
    trimEnd: () => trimTo("end_s"),
    duplicate: () => {
      if (!member) return;
      const copy = { ...member, id: freshId("layer") };
      change({ ...mix, members: mix.members.flatMap((one) => (one === member ? [one, copy] : [one])) });
      setChosen(copy.id);
    },
    remove: () => !chosenStep && remove(),
    commit: () => void print(),
    leave: () => (adding ? setAdding(false) : chosenStep ? setChosenStep(null) : player.setLoop(null)),
  });
  const rename = (wanted: string) => {
    if (!wanted.trim()) return;
    setName(wanted.trim());
    void keep(wanted.trim(), mix);
  };
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Box w="200px" flexShrink={1} minW="110px">
          <TextField label="Name of the design" value={name} onCommit={rename} />
        </Box>
        <Box asChild>
          <select
            aria-label="Design"
            value={design.id}
            style={{ background: "transparent", maxWidth: 110 }}
            onChange={(event) => useShared.setState({ design: Number(event.target.value) })}
          >
            {designs.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </Box>
        <Do quiet onClick={onNew}>
          New
        </Do>
        <Box flex={1} />
        <Flex fontFamily="mono" fontSize="12px" gap="10px" whiteSpace="nowrap" data-testid="sum">
          <span>{meters ? seconds(meters.seconds) : ""}</span>
          <Box as="span" color={(meters?.true_peak_dbtp ?? -9) > 0 ? "coral" : undefined}>
            {level(meters?.true_peak_dbtp, "dBTP")}
          </Box>
          <span>{level(meters?.integrated_lufs, "LUFS")}</span>
        </Flex>
        <UndoRedo history={history} />
        <Do onClick={() => go("/vary")}>Vary</Do>
        <Do main act="commit" disabled={!mix.members.length} onClick={() => void print()}>
          Print to library
        </Do>
      </Bar>
      <Flex flex={1} minH={0}>
        <Flex direction="column" flex={1} minW={0} position="relative">
          {adding && <AddLayer onClose={() => setAdding(false)} onAdd={(sound) => void add(sound)} />}
          {mix.members.length === 0 && !adding ? (
            <Empty
              action={
                <Do main onClick={() => setAdding(true)}>
                  Add a layer
                </Do>
              }
            >
              This design has no layers yet. Add sounds here, or press Y on a sound in Gather; each lands with its anchor on the strike line.
            </Empty>
          ) : (
            <Lanes
              mix={mix}
              layout={layout.data ?? null}
              sumOpened={now?.opened ?? null}
              chosen={chosen}
              solo={solo}
              onChoose={(id) => {
                setChosen(id);
                setChosenStep(null);
              }}
              onEdit={edit}
              onSolo={toggleSolo}
              onAdd={() => setAdding(true)}
            />
          )}
        </Flex>
        <Side label={member ? "Layer" : "Sum"} width="276px">
          {member ? (
            <LayerPanel
              member={member}
              onEdit={(values, gesture) => edit(member.id, values, gesture)}
              chosenStep={chosenStep}
              onChooseStep={setChosenStep}
              onRemove={remove}
            />
          ) : (
            <>
              <Heading>Sum</Heading>
              <Fact name="Sample peak">{level(meters?.sample_peak_dbfs, "dBFS")}</Fact>
              <Fact name="True peak">{level(meters?.true_peak_dbtp, "dBTP")}</Fact>
              <Fact name="Loudness">{level(meters?.integrated_lufs, "LUFS")}</Fact>
              <Fact name="Loudest 400 ms">{level(meters?.max_momentary_lufs, "LUFS")}</Fact>
              <Fact name="Length">{meters ? seconds(meters.seconds) : "…"}</Fact>
              <Line />
              <Heading>Chain on the sum</Heading>
              <StepList
                chain={mix.chain as Step[]}
                onChange={(chain, gesture) => change({ ...mix, chain }, gesture)}
                chosen={chosenStep}
                onChoose={setChosenStep}
              />
              <Line />
              <Do onClick={() => window.open(`/api/lib/${library}/designs/${design.id}/bundle`, "_self")}>Save as bundle</Do>
            </>
          )}
          {sum.error && (
            <Box role="alert" color="coral">
              {sum.error.message}
            </Box>
          )}
        </Side>
      </Flex>
    </Flex>
  );
}
