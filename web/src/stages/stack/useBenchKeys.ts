/** The keys of the bench. */
import type { Mix } from "../../api/client";
import type { useLayers } from "../../bench/useLayers";
import type { History } from "../../documents/useDocument";
import { player } from "../../listening/player";
import { useKeys } from "../../ui/keys";

interface Bench {
  mix: Mix;
  chosen: string[];
  history: History<Mix>;
  layers: ReturnType<typeof useLayers>;
  keepLength: boolean;
  /** A step is open in the panel: what removes belongs to it. */
  stepOpen: boolean;
  choose: (ids: string[]) => void;
  toggleSolo: (id: string) => void;
  sources: () => void;
  toShip: () => void;
  version: () => void;
  compare: () => void;
  print: () => void;
  printShift: () => void;
  perform: () => void;
  /** Close what is open, one after the other; false when nothing is. */
  close: () => boolean;
}

export function useBenchKeys({ mix, chosen, history, layers, keepLength, choose, toggleSolo, ...bench }: Bench) {
  const { member, members, group } = layers;
  const pick = (by: number) => {
    const at = mix.members.findIndex((one) => one.id === chosen[chosen.length - 1]);
    const next = mix.members[Math.max(0, Math.min(mix.members.length - 1, at + by))];
    if (next) choose([next.id]);
  };
  useKeys({
    toShip: bench.toShip,
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
    longer: () => layers.longer(1),
    shorter: () => layers.longer(-1),
    trimStart: () => layers.trimTo("start_s"),
    trimEnd: () => layers.trimTo("end_s"),
    toStrike: () => layers.each(() => ({ at_s: 0 })),
    chooseAll: () => choose(mix.members.map((one) => one.id)),
    duplicate: layers.duplicate,
    remove: () => !bench.stepOpen && layers.remove(),
    group: layers.toGroup,
    freeze: () => void layers.freeze(),
    newer: () => void layers.renew(member ? [member.id] : []),
    sources: bench.sources,
    roll: () => void layers.roll(chosen, keepLength),
    rollAll: () =>
      void layers.roll(
        mix.members.map((one) => one.id),
        keepLength,
      ),
    layerUp: () => layers.move(-1),
    layerDown: () => layers.move(1),
    version: bench.version,
    compare: bench.compare,
    printShift: bench.printShift,
    perform: bench.perform,
    commit: bench.print,
    leave: () => !bench.close() && player.setLoop(null),
  });
}
