/** What is chosen of a scene, beside it: a cue, a place, placements, a group, the scene itself; or what its side is used for. */
import { useState } from "react";
import { GroupPanel } from "../../bench/ManyPanel";
import { player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { Side } from "../../ui/frames";
import { CuePanel } from "./CuePanel";
import { type Film, momentOf } from "./frames";
import { HandOverPanel } from "./HandOverPanel";
import { PlacedPanel } from "./PlacedPanel";
import { PlacePanel } from "./PlacePanel";
import { ScenePanel } from "./ScenePanel";
import { TapPanel } from "./TapPanel";
import type { Boarding } from "./useBoard";

interface Props {
  id: number;
  film: Film;
  board: Boarding;
}

function Panel({ id, film, board }: Props) {
  const { editing, scene, mix, history, edit, mode, setMode, chosen, choose, cue, place, group, last, setWhat, scening, layers, telling } = board;
  const { tab, setTab, aim, aims, setAim, pen, setPen, trying, within, opened, hearAt, take, placeAt, toDesign, heardAt, versions } = board;
  const { now } = telling;
  const [step, setStep] = useState<string | null>(null);
  if (mode === "export") return <HandOverPanel scene={id} saved={editing.saved} onClose={() => setMode("")} />;
  if (mode === "tap")
    return (
      <TapPanel
        now={heardAt}
        onPlay={() => (now && useListening.getState().heard?.opened.digest !== opened?.digest ? void player.play(now, 0) : player.toggle())}
        onLay={async (taps, lists, searches, tapping) => choose(await scening.lay(taps, lists, searches, tapping))}
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
          void scening.tryAt(cue.frame, candidate).then((tried) => tried && hearAt(momentOf(cue.frame, scene)));
        }}
        onPlace={(candidate) => void placeAt(cue.frame, candidate, cue.id)}
        onFill={(sound) => void scening.fill(sound, cue.frame, cue.until ?? scene.frames, cue.id)}
        onTonal={(tonal) => board.layTonal(cue, tonal)}
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
        speakers={telling.layout?.speakers ?? []}
        share={null}
        onEdit={(values, gesture) => layers.editGroup(group.id, values, gesture)}
        onDissolve={layers.toGroup}
        onFreeze={() => void layers.freeze()}
        chosenStep={step}
        onChooseStep={setStep}
      />
    );
  if (layers.members.length)
    return (
      <PlacedPanel
        {...{ scene, mix, layers, telling, trying, tab, aim, aims, pen }}
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
      {...{ scene, film, mix, within }}
      versions={{ ...versions.panel, onHear: () => versions.compare(telling.ready) }}
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
}

export function BoardSide(props: Props) {
  const { mode, cue, place, group, chosen, layers } = props.board;
  const used = { tap: "Tap in", export: "Export", balance: "", "": "" }[mode];
  const label = used || (cue ? "Cue" : place ? "Place" : layers.members.length ? "Placement" : group && chosen.length ? "Group" : "Scene");
  return (
    <Side label={label}>
      <Panel {...props} />
    </Side>
  );
}
