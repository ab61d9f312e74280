/** The keys of a scene. */
import { useEffect } from "react";
import type { Mix } from "../../api/client";
import type { useLayers } from "../../bench/useLayers";
import { player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useKeys } from "../../ui/keys";
import type { Mode } from "./BoardBar";
import { SPEEDS } from "./FilmView";
import { useAt } from "./film";
import { type Cue, momentOf, nearestFrame, type Scene } from "./frames";
import type { Editing } from "./useScene";
import type { useScening } from "./useScening";

interface Keys {
  editing: Editing;
  scening: ReturnType<typeof useScening>;
  layers: ReturnType<typeof useLayers>;
  mix: Mix;
  scene: Scene;
  chosen: string[];
  cue: Cue | undefined;
  mode: Mode;
  choose: (ids: string[]) => void;
  toFrame: (frame: number) => void;
  nextCue: () => void;
  previousCue: () => void;
  addCue: () => void;
  version: () => void;
  compare: () => void;
  placeSelected: () => void;
  removeChosen: () => void;
  solo: () => void;
  sources: () => void;
  leave: () => void;
  handOver: () => void;
  newer: () => void;
}

/** While a film is shown speeds are its own; what was set before comes back. */
function useSpeeds() {
  useEffect(() => {
    const before = useListening.getState().tempo;
    player.setTempo(1);
    return () => player.setTempo(before);
  }, []);
}

export function useBoardKeys(on: Keys) {
  const { editing, layers, scene, chosen, choose, mix, cue } = on;
  useSpeeds();
  const step = (by: number) => on.toFrame(useAt.getState().frame + by);
  const nudge = (event: KeyboardEvent, sign: number) => {
    if (cue) {
      const by = sign * (event.shiftKey ? 10 : 1);
      const frame = Math.min(scene.frames - 1, Math.max(0, cue.frame + by));
      on.scening.editCue(cue.id, { frame, until: cue.until == null ? null : Math.min(scene.frames, cue.until + frame - cue.frame) }, "nudge");
      on.toFrame(frame);
    } else if (!chosen.length) step(sign * (event.shiftKey ? 10 : 1));
    else if (event.altKey && event.shiftKey) layers.slip(sign, scene.frame_rate);
    // by whole frames: what lies between two comes to lie on one
    else if (event.altKey) layers.each((one) => ({ at_s: momentOf(nearestFrame(one.at_s, scene) + sign, scene) }), "nudge");
    else layers.nudge(event, sign);
  };
  const pick = (by: number) => {
    const order = [...mix.members].sort((one, other) => one.at_s - other.at_s);
    const at = order.findIndex((one) => one.id === chosen[chosen.length - 1]);
    const next = order[Math.max(0, Math.min(order.length - 1, at + by))];
    if (next) choose([next.id]);
  };
  useKeys({
    undo: editing.history.undo,
    redo: editing.history.redo,
    next: () => pick(1),
    previous: () => pick(-1),
    left: (event) => nudge(event, -1),
    right: (event) => nudge(event, 1),
    frameOn: () => step(1),
    frameBack: () => step(-1),
    nextCue: on.nextCue,
    previousCue: on.previousCue,
    anchor: on.addCue,
    version: on.version,
    compare: on.compare,
    toLayer: on.placeSelected,
    faster: () => {
      const { tempo } = useListening.getState();
      const at = SPEEDS.findIndex((one) => Math.abs(one - tempo) < 0.01);
      player.setTempo(SPEEDS[(at + 1) % SPEEDS.length]);
    },
    octaveDown: () => layers.shift(-12),
    octaveUp: () => layers.shift(12),
    semitoneDown: () => layers.shift(-1),
    semitoneUp: () => layers.shift(1),
    reverse: () => layers.each((one) => ({ reverse: !one.reverse })),
    mute: () => (layers.group ? layers.editGroup(layers.group.id, { mute: !layers.group.mute }) : layers.each((one) => ({ mute: !one.mute }))),
    solo: on.solo,
    longer: () => layers.longer(1),
    shorter: () => layers.longer(-1),
    trimStart: () => layers.trimTo("start_s"),
    trimEnd: () => layers.trimTo("end_s"),
    toStrike: () => layers.each(() => ({ at_s: momentOf(useAt.getState().frame, scene) })),
    chooseAll: () => choose(mix.members.map((one) => one.id)),
    duplicate: layers.duplicate,
    remove: on.removeChosen,
    group: layers.toGroup,
    freeze: () => void layers.freeze(),
    newer: on.newer,
    sources: on.sources,
    roll: () => void layers.roll(chosen, false),
    rate: (event) => void on.scening.drop(event.key),
    handOver: on.handOver,
    leave: on.leave,
  });
}
