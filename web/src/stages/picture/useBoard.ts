/** What is chosen of a scene, and all that is done to it: the board, its side and its keys stand on it. */
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Member, type Mix, type Schemas } from "../../api/client";
import type { Aim } from "../../bench/aims";
import { useAims } from "../../bench/CurvePanel";
import type { LayerActs } from "../../bench/LayerClip";
import type { Tab } from "../../bench/LayerTabs";
import { isOfSeveral } from "../../bench/useBeds";
import { useLayers } from "../../bench/useLayers";
import { useMeters } from "../../bench/useMeters";
import { useTrying } from "../../bench/useTrying";
import { frameRate } from "../../canvas/ruler";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { EMPTY_MIX, freshId } from "../../mix/fresh";
import { queries, useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { useBalance } from "./BalanceStrip";
import type { Mode } from "./BoardBar";
import { useRanges } from "./balancing";
import type { Candidate } from "./Candidates";
import { inTime } from "./CueList";
import { goTo, showAt, useAt } from "./film";
import { type Cue, type Film, momentOf, nearestFrame } from "./frames";
import type { Tonal } from "./TonalBed";
import { useBoardKeys } from "./useBoardKeys";
import { useWithin } from "./usePlaying";
import { useScene } from "./useScene";
import { useSceneVersions } from "./useSceneVersions";
import { useScening } from "./useScening";

/** A dragged anchor lies on a cue or a shot change that is so near (frames), else on its own frame. */
const CATCH = 3;

/** So long (s) before the top of a swell it is heard. */
const HEARD_BEFORE_S = 3;

/** A placement with nothing done to its sound. */
const UNTOUCHED: Partial<Member> = {
  ...{ pitch_st: 0, keep_length: false, stretch: 1, reverse: false, start_s: null, end_s: null, fade_in_s: 0, fade_out_s: 0 },
  ...{ chain: [], chain_first: false, envelopes: [] },
};

type Chosen = { kind: "cue" | "place"; id: string } | { kind: "placed"; ids: string[] } | null;

export function useBoard(view: Schemas["SceneView"], film: Film) {
  const go = useNavigate();
  const editing = useScene(view);
  const { name, scene, mix, history, edit, latest } = editing;
  const [what, setWhat] = useState<Chosen>(null);
  const [mode, setMode] = useState<Mode>("");
  const [solo, setSolo] = useState<string[]>([]);
  const [tab, setTab] = useState<Tab>("layer");
  const [aimed, setAim] = useState<Aim | null>(null);
  const [pen, setPen] = useState(false);
  const chosen = what?.kind === "placed" ? what.ids : [];
  const cue = what?.kind === "cue" ? (scene.cues ?? []).find((one) => one.id === what.id) : undefined;
  const place = what?.kind === "place" ? (scene.places ?? []).find((one) => one.id === what.id) : undefined;
  const choose = (ids: string[]) => {
    setWhat(ids.length ? { kind: "placed", ids } : null);
    trying.setTried(null);
  };
  const trying = useTrying();
  const scening = useScening(editing);
  const within = useWithin(scene, film);
  const versions = useSceneVersions(view.id, editing, film);
  const telling = useMeters(mix, name, solo, scening.tried?.mix ?? trying.tried?.mix ?? null, versions.stop, within);
  const { layout, now } = telling;
  // the film goes along with the version that is heard
  const opened = (versions.other ?? now)?.opened ?? null;
  const last = mix.members.find((one) => one.id === chosen[chosen.length - 1]) ?? null;
  const aims = useAims(last, mix.layout);
  const aim = aims.find((one) => one.control === aimed?.control && one.step === aimed?.step) ?? aims[0] ?? null;
  const layers = useLayers(history, mix, chosen, choose, layout, tab === "curves" ? aim : null);
  const loudest = useBalance(mix, within, mode === "balance");

  /** Be on a frame; the strip shows the scene from then on. */
  const toFrame = (frame: number) => {
    const at = Math.min(scene.frames - 1, Math.max(0, frame));
    if (now && useListening.getState().heard?.opened.digest !== opened?.digest) player.show(now);
    goTo(at, latest());
  };
  const toCue = (one: Cue) => {
    setWhat({ kind: "cue", id: one.id });
    scening.tryAt(0, null);
    toFrame(one.frame);
  };
  /** Hear what is tried or placed, from a moment before it. */
  const hearAt = (at: number) => {
    const { heard, playing } = useListening.getState();
    if (heard && !playing) void player.play(heard, Math.max(0, at - 0.8));
  };
  const snapped = useRef<LayerActs["snap"]>(undefined);
  snapped.current = (at) => {
    const frame = nearestFrame(at, scene);
    const marks = [...film.shots, ...(scene.cues ?? []).map((one) => one.frame)];
    const near = marks.filter((one) => Math.abs(one - frame) <= CATCH).sort((a, b) => Math.abs(a - frame) - Math.abs(b - frame))[0];
    return momentOf(near ?? frame, scene);
  };
  const present = useRef(scene);
  present.current = scene;
  const clipActs = useRef<LayerActs>({
    ...layers.clipActs,
    snap: (at) => snapped.current?.(at) ?? at,
    seen: (at) => showAt(at, present.current),
  }).current;

  const take = () => {
    const fresh = trying.tried?.mix.members.find((one) => one.id === trying.tried?.id);
    if (fresh && trying.tried && !last?.locked) layers.edit(trying.tried.id, fresh);
    trying.setTried(null);
  };
  const placeAt = async (frame: number, candidate: Candidate, of?: string) => {
    const ids = await scening.place(frame, candidate, of);
    if (ids.length && !of) choose(ids);
    hearAt(momentOf(frame, scene));
  };
  /** Fill the range of a cue with a tonal bed in place of the one that is there, heard from a moment before the top of its swell. */
  const layTonal = async (one: Cue, tonal: Tonal) => {
    const before = mix.members.find((each) => one.placed?.includes(each.id) && isOfSeveral(each) && !each.locked);
    const ids = await scening.tone(one.frame, one.until ?? scene.frames, tonal, one.id, before);
    if (ids.length)
      hearAt(momentOf(Math.max(one.frame, (tonal.swell ?? one.frame) - Math.round(HEARD_BEFORE_S * frameRate(scene.frame_rate).exact)), scene));
  };
  /** Open a placement as a design: the one it was made with, or one that is made of it and whose newer states it takes from then on. */
  const toDesign = async () => {
    if (!last || last.locked || last.frozen) return tell("Unlock and thaw it first; then it opens as a design.");
    try {
      const id = last.origin?.kind === "design" ? last.origin.id : await designOf(last);
      await editing.saved();
      void queries.invalidateQueries({ queryKey: ["designs"] });
      useShared.setState({ design: id });
      go("/stack");
    } catch (error) {
      complain(error);
    }
  };
  const designOf = async (member: Member): Promise<number> => {
    const { library, project } = useShared.getState();
    const inner = { ...member, id: freshId("layer"), at_s: 0, gain_db: 0, pan: 0, back: 0, width: 1, mute: false, group: "", colour: "" as const };
    const own = member.node.kind === "mix" ? (member.node as Mix) : { ...EMPTY_MIX, members: [inner], layout: mix.layout, pan_law: mix.pan_law };
    const body = { name: member.name || "Placement", mix: own, project };
    const { id } = await got(api.POST("/api/lib/{library}/designs", { params: { path: { library } }, body }));
    const layer = await got(api.GET("/api/lib/{library}/stack/layer", { params: { path: { library }, query: { design: id } } }));
    // what was done to the sound is done inside now; its level, place and frame stay with the placement
    const inside = member.node.kind === "mix" ? {} : { ...UNTOUCHED, node: layer.node, anchor_s: layer.anchor_s };
    layers.edit(member.id, { ...inside, origin: layer.origin } as Partial<Member>);
    return id;
  };
  const ranges = useRanges();
  const balance = (ids: string[]) => {
    choose(ids);
    const one = mix.members.find((other) => other.id === ids[ids.length - 1]);
    const placed = layout?.layers.find((other) => other.id === one?.id);
    if (!one || !placed || !now) return;
    const start = Math.max(0, placed.start_s - ranges.around_s);
    const end = placed.start_s + Math.min(placed.seconds, ranges.most_s) + ranges.around_s;
    const loop: [number, number] = [start, Math.min(momentOf(scene.frames, scene), end)];
    useListening.setState({ looping: true });
    void player.play(now, start, loop);
  };
  const bySelection = (step: -1 | 1) => {
    const cues = inTime(scene.cues ?? []);
    const { frame } = useAt.getState();
    const at = cue
      ? cues.findIndex((one) => one.id === cue.id) + step
      : step > 0
        ? cues.findIndex((one) => one.frame > frame)
        : cues.findLastIndex((one) => one.frame < frame);
    if (cues[at]) toCue(cues[at]);
  };
  const addCue = () => setWhat({ kind: "cue", id: scening.addCue({ frame: useAt.getState().frame }) });
  useBoardKeys({
    ...{ editing, scening, layers, mix, chosen, choose, cue, mode, scene, toFrame },
    nextCue: () => bySelection(1),
    previousCue: () => bySelection(-1),
    addCue,
    version: versions.panel.onKeep,
    compare: () => versions.compare(telling.ready),
    placeSelected: () => {
      const { selected } = useShared.getState();
      const { frame } = useAt.getState();
      const candidate = scening.tried?.candidate ?? (selected && { kind: "sound" as const, id: selected.id, search: "" });
      if (!candidate) tell("Choose a sound in Gather, or a candidate of a cue; it is placed at the playhead.");
      else void placeAt(cue && scening.tried ? cue.frame : frame, candidate, scening.tried ? cue?.id : undefined);
    },
    removeChosen: () => {
      if (cue) scening.removeCue(cue.id);
      else if (place) scening.removePlace(place.id);
      else layers.remove();
    },
    solo: () =>
      setSolo((before) => (chosen.every((id) => before.includes(id)) ? before.filter((id) => !chosen.includes(id)) : [...before, ...chosen])),
    sources: () => setTab("source"),
    leave: () => {
      if (scening.tried) void scening.tryAt(0, null);
      else if (trying.tried) trying.setTried(null);
      else if (mode) setMode("");
      else if (useListening.getState().loop) player.setLoop(null);
      else setWhat(null);
    },
    handOver: () => setMode("export"),
    newer: () => void layers.renew(chosen.length ? chosen : mix.members.map((one) => one.id)),
  });
  /** The moment of the film (s) that is heard; null when something else is. */
  const heardAt = () => {
    const { heard } = useListening.getState();
    return heard && opened && heard.opened.digest === opened.digest ? live.position / heard.opened.rate : null;
  };
  const group = mix.groups.find((one) => one.id === chosen[0]);
  return {
    ...{ editing, name, scene, mix, history, edit, mode, setMode, chosen, choose, cue, place, group, last, setWhat, solo, setSolo },
    ...{ tab, setTab, aim, aims, setAim, pen, setPen, trying, scening, within, telling, layers, loudest, opened, clipActs, versions },
    ...{ toFrame, toCue, hearAt, take, placeAt, layTonal, toDesign, balance, addCue, heardAt },
  };
}

export type Boarding = ReturnType<typeof useBoard>;
