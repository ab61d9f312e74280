/** One design on the bench: its lanes, what is chosen of it, and what it is compared with. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, got, type Member, type Mix, type Node, type Schemas, slowly } from "../../api/client";
import { addToSheet } from "../../between/sheet";
import { type History, useDocument } from "../../documents/useDocument";
import { live, player, useListening } from "../../listening/player";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { overSaid } from "../../ui/format";
import { Empty, Side } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { useSettled } from "../../ui/useSettled";
import { AddLayer } from "./AddLayer";
import { BenchBar, LayerTabs, type Tab } from "./BenchBar";
import { CurvePanel, useAims } from "./CurvePanel";
import type { Aim } from "./design";
import type { HeadActs } from "./Heads";
import { GROUP, Lanes, laneHeight } from "./Lanes";
import { LayerPanel } from "./LayerPanel";
import { GroupPanel, ManyPanel } from "./ManyPanel";
import { PrintShift, shiftSaid, usePrintShift } from "./PrintShift";
import { SourcePanel } from "./SourcePanel";
import { SumPanel } from "./SumPanel";
import { TunePanel } from "./TunePanel";
import { about } from "./told";
import { useLayers } from "./useLayers";
import { useVersions, type Version } from "./Versions";

type Design = Schemas["DesignView"];

/** The mix as it is listened to: solo is for listening only. */
function soloed(mix: Mix, solo: string[]): Mix {
  return solo.length ? { ...mix, members: mix.members.map((member) => ({ ...member, mute: !solo.includes(member.id) })) } : mix;
}

/** What is kept of a design. */
interface Named {
  name: string;
  mix: Mix;
}

/** The document of a design as that of its mix. */
function useMix(document: History<Named>): History<Mix> {
  const { now, change, accept } = document;
  const whole = (mix: Mix): Named => ({ ...(now() as Named), mix });
  return {
    ...document,
    doc: document.doc?.mix ?? null,
    now: () => now()?.mix ?? null,
    change: (mix, gesture) => change(whole(mix), gesture),
    accept: (mix, revision, gesture) => accept(whole(mix), revision, gesture),
  };
}

function audible(mix: Mix): boolean {
  const muted = mix.groups.filter((one) => one.mute).map((one) => one.id);
  return mix.members.some((one) => !one.mute && !muted.includes(one.group));
}

interface Props {
  design: Design;
  designs: Design[];
  onNew: () => void;
  onPerform: () => void;
}

export function Bench({ design, designs, onNew, onPerform }: Props) {
  const library = useShared((state) => state.library);
  const [chosen, setChosen] = useState<string[]>(design.mix.members[0] ? [design.mix.members[0].id] : []);
  const [chosenStep, setChosenStep] = useState<string | null>(null);
  const [solo, setSolo] = useState<string[]>([]);
  const [adding, setAdding] = useState(false);
  const [tab, setTab] = useState<Tab>("layer");
  const [aimed, setAim] = useState<Aim | null>(null);
  const [pen, setPen] = useState(false);
  const [keepLength, setKeepLength] = useState(false);
  const [tried, setTried] = useState<{ id: string; sound: number; mix: Mix } | null>(null);
  const [against, setAgainst] = useState<number | null>(null);
  const [hearing, setHearing] = useState(false);
  const document = useDocument<Named>({
    what: "design",
    id: design.id,
    first: design as Named,
    revision: design.revision ?? 0,
    called: design.name,
    save: async (doc, based_on, init) => {
      const params = { path: { library, id: design.id }, query: { based_on } };
      const keep = (mix: Mix | { key: string }) =>
        got(api.PUT("/api/lib/{library}/designs/{id}", { params, body: { name: doc.name, mix }, ...init }));
      // a page that is being left has no time to ask twice
      const kept = await (init.keepalive ? keep(doc.mix) : about(doc.mix, (key) => keep({ key })));
      for (const key of ["designs", "stale"]) void queries.invalidateQueries({ queryKey: [key] });
      return { revision: kept.revision };
    },
    read: async () => {
      const kept = await got(api.GET("/api/lib/{library}/designs/{id}", { params: { path: { library, id: design.id } } }));
      return { doc: kept as Named, revision: kept.revision ?? 0 };
    },
  });
  const { name } = document.doc ?? design;
  const history = useMix(document);
  const mix = history.doc ?? (design.mix as Mix);
  const versions = useVersions(design.id);
  const compared = versions.list.find((one) => one.id === against) ?? null;

  const settled = useSettled(mix, 110, true);
  const layout = useQuery({
    queryKey: ["layout", library, settled],
    placeholderData: keepPreviousData,
    enabled: settled.members.length > 0,
    queryFn: ({ signal }) =>
      about(settled, (key) => got(api.POST("/api/lib/{library}/stack/layout", { params: { path: { library } }, body: { key }, signal }))),
  });
  const listened = useMemo(() => soloed(tried?.mix ?? settled, solo), [tried, settled, solo]);
  const opened = useQuery({
    queryKey: ["opened", library, listened],
    enabled: audible(listened),
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => about(listened, (told) => player.opened({ told }, library, name)),
  });
  const now = opened.data;
  const sum = useQuery({
    queryKey: ["sum", library, settled],
    placeholderData: keepPreviousData,
    // meters wait for what is to be heard
    enabled: settled.members.length > 0 && (opened.isSuccess || !audible(listened)),
    queryFn: ({ signal }) =>
      about(settled, (key) =>
        slowly(signal, () => got(api.POST("/api/lib/{library}/stack/sum", { params: { path: { library } }, body: { key }, signal }))),
      ),
  });
  const meters = settled.members.length ? sum.data : undefined;
  const [crowded, setCrowded] = useState(true);
  const rested = useSettled(mix, 500);
  const crowds = useQuery({
    queryKey: ["crowding", library, rested],
    placeholderData: keepPreviousData,
    retry: false,
    // like the meters it waits for what is to be heard
    enabled: crowded && rested.members.length > 1 && (opened.isSuccess || !audible(listened)),
    queryFn: ({ signal }) =>
      about(rested, (key) =>
        slowly(signal, () => got(api.POST("/api/lib/{library}/stack/crowding", { params: { path: { library } }, body: { key }, signal }))),
      ),
  });
  const crowding = crowded && rested.members.length > 1 ? (crowds.data ?? null) : null;
  const newer = useQuery({
    queryKey: ["newer", library, settled.members.map((one) => [one.id, one.origin])],
    enabled: settled.members.some((one) => one.origin),
    queryFn: ({ signal }) =>
      about(settled, (key) => got(api.POST("/api/lib/{library}/stack/newer", { params: { path: { library } }, body: { key }, signal }))),
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: only another rendering is a reason
  useEffect(() => {
    if (!now) return;
    setHearing(false);
    const before = useListening.getState().heard;
    if (before?.title !== name) player.show(now);
    else {
      // the strike line may have moved inside the rendering: stay at the same moment around it
      const around = (live.position - before.opened.zero) / before.opened.rate;
      void player.swap(now, Math.max(0, around + now.opened.zero / now.opened.rate));
    }
  }, [now?.opened.key]);

  const choose = (ids: string[]) => {
    setChosen(ids);
    setChosenStep(null);
    setTried(null);
  };
  const last = mix.members.find((one) => one.id === chosen[chosen.length - 1]) ?? null;
  const aims = useAims(last, mix.layout);
  const aim = aims.find((one) => one.control === aimed?.control && one.step === aimed?.step) ?? aims[0] ?? null;
  const layers = useLayers(history, mix, chosen, choose, layout.data ?? null, tab === "curves" ? aim : null);
  const { member, group, members } = layers;
  const speakers = layout.data?.speakers ?? [];
  const change = history.change;
  const toggleSolo = (id: string) => setSolo((before) => (before.includes(id) ? before.filter((one) => one !== id) : [...before, id]));
  const headActs = useRef<HeadActs>({
    choose: (id, event) => layers.now.current.choose(id, event),
    edit: (id, values, gesture) => layers.now.current.edit(id, values, gesture),
    editGroup: (id, values, gesture) => layers.now.current.editGroup(id, values, gesture),
    solo: toggleSolo,
    dropped: (id, dy) => {
      const { mix: doc } = layers.now.current;
      const lane = laneHeight(doc.members.length) + (doc.groups.length * GROUP) / Math.max(1, doc.members.length);
      layers.dropped.current(id, Math.round(dy / lane));
    },
  }).current;

  /** A candidate in place: in time, through the layer's chain; nothing is changed until it is taken. */
  const tryOut = async (sound: number | null) => {
    if (sound === null || !member) {
      setTried(null);
      return;
    }
    try {
      const next = await got(
        api.POST("/api/lib/{library}/stack/swap", { params: { path: { library } }, body: { mix, id: member.id, sound, keep_length: keepLength } }),
      );
      setTried({ id: member.id, sound, mix: next as Mix });
      const heard = useListening.getState();
      if (!heard.playing && heard.heard) {
        const placed = layout.data?.layers.find((one) => one.id === member.id);
        player.seek(Math.max(0, (placed?.start_s ?? 0) + heard.heard.opened.zero / heard.heard.opened.rate - 0.05));
        player.toggle();
      }
    } catch (error) {
      complain(error);
    }
  };
  const take = () => {
    if (!tried || member?.locked) return;
    const fresh = tried.mix.members.find((one) => one.id === tried.id);
    if (fresh) layers.edit(tried.id, fresh);
    setTried(null);
  };
  const [shifting, setShifting, shiftChain] = usePrintShift();
  const printing = useRef(false);
  const once = async (work: () => Promise<void>) => {
    if (printing.current) return;
    printing.current = true;
    try {
      await history.saved();
      await work();
      for (const key of ["sounds", "counts", "arrivals", "state", "stale"]) void queries.invalidateQueries({ queryKey: [key] });
    } catch (error) {
      complain(error);
    } finally {
      printing.current = false;
    }
  };
  const print = () =>
    once(async () => {
      const made = await got(
        api.POST("/api/lib/{library}/stack/print", {
          params: { path: { library } },
          body: { mix, name: `${name} print`, category: "", design: design.id, wanted: null },
        }),
      );
      tell(
        `${made.name} is in the library${solo.length ? "; it holds all layers that are not muted, solo is for listening only" : ""}.${overSaid(made)}`,
        (made.peak ?? -1) > 0,
      );
    });
  const printShift = () =>
    once(async () => {
      const made = await got(
        api.POST("/api/lib/{library}/stack/print-and-shift", {
          params: { path: { library } },
          body: {
            mix,
            name: `${name} print`,
            design: design.id,
            semitones: shifting.semitones,
            keep_length: shifting.keepLength,
            chain: shiftChain,
          },
        }),
      );
      const layer = { ...(made.member as Member), gain_db: -6, name: `${made.sound.name}, ${shiftSaid(shifting)}` };
      change({ ...mix, members: [...mix.members, layer] });
      choose([layer.id]);
      tell(
        `${made.sound.name} is in the library${overSaid(made.sound)}, and a layer here, ${shiftSaid(shifting)}; its pitch and chain can be changed.`,
      );
    });
  /** Now and the chosen version in turn, at matched loudness, from the same moment around the strike line. */
  const compare = async () => {
    const other = compared ?? versions.list[versions.list.length - 1];
    if (!other || !now) {
      tell("Keep a version first (Ctrl S); then it is compared with what is now.");
      return;
    }
    setAgainst(other.id);
    const { heard } = useListening.getState();
    const around = heard ? (live.position - heard.opened.zero) / heard.opened.rate : 0;
    const next = hearing
      ? now
      : await player.open({ node: other.mix as Node }, library, name, {
          matchDb: (meters?.integrated_lufs ?? 0) - (other.lufs ?? meters?.integrated_lufs ?? 0),
        });
    if (!next) return;
    setHearing(!hearing);
    await player.swap(next, Math.max(0, around + next.opened.zero / next.opened.rate));
  };
  const restore = (version: Version) => {
    change(version.mix as Mix);
    choose([]);
    tell(`${version.name} is taken back; undo goes to what was before.`);
  };
  const removeDesign = () =>
    once(async () => {
      await got(api.DELETE("/api/lib/{library}/designs/{id}", { params: { path: { library, id: design.id } } }));
      useShared.setState({ design: designs.find((one) => one.id !== design.id)?.id ?? null });
      await queries.invalidateQueries({ queryKey: ["designs"] });
    });
  const pick = (by: number) => {
    const at = mix.members.findIndex((one) => one.id === chosen[chosen.length - 1]);
    const next = mix.members[Math.max(0, Math.min(mix.members.length - 1, at + by))];
    if (next) choose([next.id]);
  };
  const newerOnes = newer.data ?? [];
  useKeys({
    toShip: () => void document.saved().then(() => addToSheet("designs", [design.id])),
    undo: history.undo,
    redo: history.redo,
    next: () => pick(1),
    previous: () => pick(-1),
    left: (event) => layers.nudge(event, -1),
    right: (event) => layers.nudge(event, 1),
    octaveDown: () => layers.shift(-12),
    octaveUp: () => layers.shift(12),
    semitoneDown: () => layers.shift(-1),
    semitoneUp: () => layers.shift(1),
    reverse: () => layers.each((one) => ({ reverse: !one.reverse })),
    mute: () => (group ? layers.editGroup(group.id, { mute: !group.mute }) : layers.each((one) => ({ mute: !one.mute }))),
    solo: () => {
      for (const one of members) toggleSolo(one.id);
    },
    trimStart: () => layers.trimTo("start_s"),
    trimEnd: () => layers.trimTo("end_s"),
    toStrike: () => layers.each(() => ({ at_s: 0 })),
    chooseAll: () => choose(mix.members.map((one) => one.id)),
    duplicate: layers.duplicate,
    remove: () => !chosenStep && layers.remove(),
    group: layers.toGroup,
    freeze: () => void layers.freeze(),
    newer: () => void layers.renew(member ? [member.id] : []),
    sources: () => setTab("source"),
    roll: () => void layers.roll(chosen, keepLength),
    rollAll: () =>
      void layers.roll(
        mix.members.map((one) => one.id),
        keepLength,
      ),
    layerUp: () => layers.move(-1),
    layerDown: () => layers.move(1),
    version: () => void versions.keep(mix),
    compare: () => void compare(),
    printShift: () => void printShift(),
    perform: onPerform,
    commit: () => void print(),
    leave: () => (adding ? setAdding(false) : tried ? setTried(null) : chosenStep ? setChosenStep(null) : player.setLoop(null)),
  });
  const rename = (wanted: string) => {
    const now = document.now();
    if (wanted.trim() && now) document.change({ ...now, name: wanted.trim() });
  };
  const editMember = (values: Partial<Member>, gesture?: string) => {
    if (!member) return;
    const allowed = !member.locked || "locked" in values;
    const frozen =
      member.frozen &&
      Object.keys(values).some((key) =>
        [
          "pitch_st",
          "stretch",
          "chain",
          "reverse",
          "start_s",
          "end_s",
          "keep_length",
          "fade_in_s",
          "fade_out_s",
          "fade_in_shape",
          "fade_out_shape",
        ].includes(key),
      );
    if (!allowed) tell(`${member.name} is locked; unlock it to change it.`);
    else if (frozen) tell(`${member.name} is frozen; thaw it (Ctrl E) to change that.`);
    else layers.edit(member.id, values, gesture);
  };
  return (
    <Flex direction="column" h="100%">
      <BenchBar
        design={design.id}
        name={name}
        designs={designs}
        empty={!mix.members.length}
        meters={meters}
        hearing={hearing ? (compared?.name ?? "") : null}
        history={history}
        onRename={rename}
        onNew={onNew}
        onPerform={onPerform}
        onPrintShift={() => void printShift()}
        onPrint={() => void print()}
      />
      <Flex flex={1} minH={0}>
        <Flex direction="column" flex={1} minW={0} position="relative">
          {adding && (
            <AddLayer
              design={design.id}
              designs={designs}
              onClose={() => setAdding(false)}
              onAdd={(what) => void layers.add(what)}
              onFill={async (words) => {
                if (await layers.fill(words)) setAdding(false);
              }}
            />
          )}
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
              facts={meters?.facts}
              newer={newerOnes}
              crowding={crowding}
              crowded={crowded}
              onCrowded={() => setCrowded(!crowded)}
              sumOpened={now?.opened ?? null}
              chosen={chosen}
              solo={solo}
              aim={tab === "curves" && members.length === 1 ? aim : null}
              pen={pen}
              clipActs={layers.clipActs}
              headActs={headActs}
              onSum={() => choose([])}
              onAdd={() => setAdding(true)}
            />
          )}
        </Flex>
        <Side label={members.length > 1 ? "Layers" : member ? "Layer" : group ? "Group" : "Sum"} width="276px">
          {members.length > 1 ? (
            <ManyPanel
              members={members}
              grouped={!!members[0].group && members.every((one) => one.group === members[0].group)}
              onEach={layers.each}
              onGroup={layers.toGroup}
              onFreeze={() => void layers.freeze()}
              onRoll={() => void layers.roll(chosen, keepLength)}
              onRemove={layers.remove}
            />
          ) : member ? (
            <>
              <LayerTabs
                tab={tab}
                onTab={(next) => {
                  setTab(next);
                  setTried(null);
                }}
              />
              {tab === "layer" && (
                <LayerPanel
                  member={member}
                  newer={newerOnes.some((one) => one.id === member.id && !one.gone)}
                  mix={mix}
                  placed={layout.data?.layers.find((one) => one.id === member.id)}
                  speakers={speakers}
                  onEdit={editMember}
                  chosenStep={chosenStep}
                  onChooseStep={setChosenStep}
                  onRemove={layers.remove}
                  onFreeze={() => void layers.freeze()}
                  onNewer={() => void layers.renew([member.id])}
                />
              )}
              {tab === "curves" && aim && (
                <CurvePanel
                  member={member}
                  placed={layout.data?.layers.find((one) => one.id === member.id)}
                  aim={aim}
                  aims={aims}
                  pen={pen}
                  onAim={setAim}
                  onPen={setPen}
                  onEdit={editMember}
                />
              )}
              {tab === "source" && (
                <SourcePanel
                  member={member}
                  tried={tried?.id === member.id ? tried.sound : null}
                  keepLength={keepLength}
                  onKeepLength={setKeepLength}
                  onTry={(sound) => void tryOut(sound)}
                  onTake={take}
                  onRoll={() => void layers.roll([member.id], keepLength)}
                  onEdit={editMember}
                />
              )}
              {tab === "tune" && <TunePanel mix={mix} member={member} onEdit={editMember} />}
            </>
          ) : group ? (
            <GroupPanel
              group={group}
              members={mix.members.filter((one) => one.group === group.id)}
              mix={mix}
              speakers={speakers}
              share={meters?.facts?.shares.find((one) => one.id === group.id)?.share}
              onEdit={(values, gesture) => layers.editGroup(group.id, values, gesture)}
              onDissolve={layers.toGroup}
              onFreeze={() => void layers.freeze()}
              chosenStep={chosenStep}
              onChooseStep={setChosenStep}
            />
          ) : (
            <SumPanel
              design={design.id}
              mix={mix}
              meters={meters}
              crowding={crowding}
              shift={<PrintShift shifting={shifting} onChange={setShifting} onDo={() => void printShift()} />}
              onChange={change}
              chosenStep={chosenStep}
              onChooseStep={setChosenStep}
              versions={{
                mix,
                versions,
                against,
                hearing,
                onAgainst: (version) => {
                  if (hearing) void compare();
                  setAgainst(version);
                },
                onHear: () => void compare(),
                onRestore: restore,
              }}
              onRemove={() => void removeDesign()}
            />
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
