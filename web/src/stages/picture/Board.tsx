/** A scene on the board: film and cues on top, lanes below, what is chosen at the side. */
import { Box, Flex } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Member, type Mix, type Schemas } from "../../api/client";
import type { Aim } from "../../bench/aims";
import { useAims } from "../../bench/CurvePanel";
import type { LayerActs } from "../../bench/LayerClip";
import type { Tab } from "../../bench/LayerTabs";
import { GroupPanel } from "../../bench/ManyPanel";
import { useLayers } from "../../bench/useLayers";
import { useMeters } from "../../bench/useMeters";
import { useTrying } from "../../bench/useTrying";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { changed } from "../../mix/edits";
import { queries, useShared } from "../../session/store";
import { Empty, Side } from "../../ui/frames";
import { complain, tell } from "../../ui/messages";
import { Beside, Panes } from "../../ui/Panes";
import { BalanceStrip, useBalance } from "./BalanceStrip";
import { BoardBar, type Mode } from "./BoardBar";
import type { Candidate } from "./Candidates";
import { CueList, inTime, stateOf } from "./CueList";
import { CuePanel } from "./CuePanel";
import { FilmView } from "./FilmView";
import { goTo, showAt, useAt } from "./film";
import { type Cue, type Film, momentOf, nearestFrame } from "./frames";
import { HandOverPanel } from "./HandOverPanel";
import { PlacedPanel } from "./PlacedPanel";
import { PlacePanel } from "./PlacePanel";
import { SceneLanes } from "./SceneLanes";
import { ScenePanel } from "./ScenePanel";
import { TapPanel } from "./TapPanel";
import { useBoardKeys } from "./useBoardKeys";
import { useWithin } from "./usePlaying";
import { useScene } from "./useScene";
import { useScening } from "./useScening";

/** A dragged anchor lies on a cue or a shot change that is so near (frames), else on its own frame. */
const CATCH = 3;
/** Around a placement that is balanced so much is looped (s). */
const AROUND_S = 1;

type Chosen = { kind: "cue" | "place"; id: string } | { kind: "placed"; ids: string[] } | null;

export function Board({ view, film, scenes }: { view: Schemas["SceneView"]; film: Film; scenes: Schemas["SceneHead"][] }) {
  const library = useShared((state) => state.library);
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
  const telling = useMeters(mix, name, solo, scening.tried?.mix ?? trying.tried?.mix ?? null, () => {}, within);
  const { layout, now, meters } = telling;
  const opened = now?.opened ?? null;
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
  const toDesign = async () => {
    const origin = last?.origin;
    if (last?.node.kind !== "mix") return;
    try {
      // one that is gone, or was never kept by itself, becomes a design again
      const known = origin?.kind === "design" ? origin.id : null;
      const id =
        known ??
        (await got(
          api.POST("/api/lib/{library}/designs", {
            params: { path: { library } },
            body: { name: last.name || "Placement", mix: last.node as Mix, project: useShared.getState().project },
          }),
        ).then((made) => made.id));
      await editing.saved();
      void queries.invalidateQueries({ queryKey: ["designs"] });
      useShared.setState({ design: id });
      go("/stack");
    } catch (error) {
      complain(error);
    }
  };
  const balance = (ids: string[]) => {
    choose(ids);
    const one = mix.members.find((other) => other.id === ids[ids.length - 1]);
    const placed = layout?.layers.find((other) => other.id === one?.id);
    if (!one || !placed || !now) return;
    const start = Math.max(0, placed.start_s - AROUND_S);
    const loop: [number, number] = [start, Math.min(momentOf(scene.frames, scene), placed.start_s + Math.min(placed.seconds, 4) + AROUND_S)];
    useListening.setState({ looping: true });
    void player.play(useListening.getState().heard ?? now, start, loop);
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
    placeSelected: () => {
      const { selected } = useShared.getState();
      const { frame } = useAt.getState();
      const candidate = scening.tried?.candidate ?? (selected && { kind: "sound" as const, id: selected.id });
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
  const heardAt = () => {
    const { heard } = useListening.getState();
    return heard && opened && heard.opened.digest === opened.digest ? live.position / heard.opened.rate : null;
  };
  const group = mix.groups.find((one) => one.id === chosen[0]);
  const side = () => {
    if (mode === "export") return <HandOverPanel scene={view.id} saved={editing.saved} onClose={() => setMode("")} />;
    if (mode === "tap")
      return (
        <TapPanel
          now={heardAt}
          onPlay={() => (now && useListening.getState().heard?.opened.digest !== opened?.digest ? void player.play(now, 0) : player.toggle())}
          onLay={async (taps, lists, tapping) => choose(await scening.lay(taps, lists, tapping))}
          onClose={() => setMode("")}
        />
      );
    if (cue)
      return (
        <CuePanel
          scene={scene}
          cue={cue}
          onEdit={(values, gesture) => scening.editCue(cue.id, values, gesture)}
          onRemove={() => scening.removeCue(cue.id)}
          tried={scening.tried?.candidate ?? null}
          onTry={(candidate) => {
            void scening.tryAt(cue.frame, candidate).then(() => candidate !== null && hearAt(momentOf(cue.frame, scene)));
          }}
          onPlace={(candidate) => void placeAt(cue.frame, candidate, cue.id)}
          onFill={(sound) => void scening.fill(sound, cue.frame, cue.until ?? scene.frames, cue.id)}
          onLoop={() => {
            useListening.setState({ looping: true });
            player.setLoop([momentOf(cue.frame, scene), momentOf(cue.until ?? scene.frames, scene)]);
          }}
        />
      );
    if (place)
      return (
        <PlacePanel
          scene={scene}
          place={place}
          onEdit={(values, gesture) => scening.editPlace(place.id, values, gesture)}
          onRemove={() => scening.removePlace(place.id)}
        />
      );
    if (group && chosen.length === 1)
      return (
        <GroupPanel
          group={group}
          members={mix.members.filter((one) => one.group === group.id)}
          mix={mix}
          speakers={layout?.speakers ?? []}
          share={meters?.facts?.shares.find((one) => one.id === group.id)?.share}
          onEdit={(values, gesture) => layers.editGroup(group.id, values, gesture)}
          onDissolve={layers.toGroup}
          onFreeze={() => void layers.freeze()}
          chosenStep={null}
          onChooseStep={() => {}}
        />
      );
    if (layers.members.length)
      return (
        <PlacedPanel
          {...{ scene, mix, chosen, layers, telling, trying, tab, aim, aims, pen }}
          onTab={setTab}
          onAim={setAim}
          onPen={setPen}
          onTake={take}
          onFit={(seconds) => last && void scening.fit(last.id, seconds)}
          onReplace={(words) => void scening.replaceRun(chosen, words)}
          onGroup={(wanted) => scening.toGroup(chosen, wanted)}
          onDesign={() => void toDesign()}
        />
      );
    return (
      <ScenePanel
        {...{ scene, film, mix, within, meters }}
        newer={telling.newer.filter((one) => !one.gone).length}
        onNewer={() => void layers.renew(mix.members.map((one) => one.id))}
        onEdit={edit}
        onChange={history.change}
        onPlace={() => {
          const [from, until] = scening.marked();
          setWhat({ kind: "place", id: scening.addPlace(from, until) });
        }}
      />
    );
  };
  const answered = (scene.cues ?? []).filter((one) => stateOf(one, scene) !== "open").length;
  const label =
    mode === "export"
      ? "Export"
      : mode === "tap"
        ? "Tap in"
        : cue
          ? "Cue"
          : place
            ? "Place"
            : layers.members.length
              ? "Placement"
              : group
                ? "Group"
                : "Scene";
  return (
    <Flex direction="column" h="100%">
      <BoardBar {...{ view, name, scenes, film, scene, mode, answered, history }} onRename={editing.rename} onMode={setMode} saved={editing.saved} />
      <Beside name="picture" label="what is chosen" width={286} side={<Side label={label}>{side()}</Side>}>
        <Panes
          name="picture rows"
          stacked
          panes={[
            {
              id: "film",
              label: "film and cues",
              size: 262,
              least: 120,
              holds: (
                <Panes
                  name="picture top"
                  panes={[
                    {
                      id: "picture",
                      label: "the film",
                      least: 160,
                      holds: (
                        <FilmView
                          film={film}
                          scene={scene}
                          opened={opened}
                          onAgain={() =>
                            void got(api.POST("/api/lib/{library}/films/{id}/again", { params: { path: { library, id: film.id } } })).catch(complain)
                          }
                        />
                      ),
                    },
                    {
                      id: "cues",
                      label: "the cues",
                      size: 430,
                      least: 240,
                      holds: (
                        <CueList
                          scene={scene}
                          chosen={cue?.id ?? null}
                          onChoose={toCue}
                          onAdd={addCue}
                          onFromWanted={() => void scening.cueFromWanted(useAt.getState().frame).then((id) => id && setWhat({ kind: "cue", id }))}
                          onFromShots={film.shots.length ? () => scening.cuesFromShots(film.shots) : null}
                        />
                      ),
                    },
                  ]}
                />
              ),
            },
            {
              id: "lanes",
              label: "the lanes",
              least: 140,
              holds: (
                <Box position="relative" display="flex" flex={1} minH={0}>
                  <SceneLanes
                    {...{ scene, film, layout, opened, chosen, solo, pen, clipActs }}
                    newer={telling.newer}
                    chosenCue={cue?.id ?? null}
                    chosenPlace={place?.id ?? null}
                    aim={tab === "curves" && layers.members.length === 1 ? aim : null}
                    onChooseGroup={(id) => choose([id])}
                    onEditGroup={layers.editGroup}
                    onSolo={(ids) =>
                      setSolo(ids.every((id) => solo.includes(id)) ? solo.filter((id) => !ids.includes(id)) : [...new Set([...solo, ...ids])])
                    }
                    onCue={toCue}
                    onFrame={toFrame}
                    onPlace={(id) => setWhat({ kind: "place", id })}
                    strip={
                      mode === "balance"
                        ? (scale) => (
                            <BalanceStrip
                              {...{ scene, scale, loudest, chosen }}
                              onChoose={(id, event) =>
                                event?.ctrlKey || event?.metaKey || event?.shiftKey ? layers.choose(id, event) : balance([id])
                              }
                              onEach={(values, gesture) => {
                                const ids = chosen.filter((id) => !mix.members.find((one) => one.id === id)?.locked);
                                if (ids.length)
                                  history.change(
                                    changed(history.now() ?? mix, ids, values as (one: Member) => Partial<Member>),
                                    `${ids.join()} ${gesture}`,
                                  );
                              }}
                            />
                          )
                        : null
                    }
                  />
                  {!mix.members.length && (
                    <Flex position="absolute" inset="60px 0 0 150px" pointerEvents="none">
                      <Empty>
                        Nothing is placed yet. Choose a cue and place one of its candidates, press Y for the sound chosen in Gather, or tap sounds in
                        while the film plays.
                      </Empty>
                    </Flex>
                  )}
                </Box>
              ),
            },
          ]}
        />
      </Beside>
    </Flex>
  );
}
