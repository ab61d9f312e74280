/** One layer of a mix in its tabs: itself, its curves, other sources, its pitch beside the others. */
import { type ReactNode, useState } from "react";
import type { Member, Mix } from "../api/client";
import { tell } from "../ui/messages";
import type { Aim } from "./aims";
import { CurvePanel } from "./CurvePanel";
import { LayerPanel } from "./LayerPanel";
import { LayerTabs, type Tab } from "./LayerTabs";
import { SourcePanel } from "./SourcePanel";
import { TunePanel } from "./TunePanel";
import type { useLayers } from "./useLayers";
import type { useMeters } from "./useMeters";
import type { useTrying } from "./useTrying";

/** What a panel of what is chosen is given, whatever of it shows one layer. */
export interface OfChosen {
  mix: Mix;
  layers: ReturnType<typeof useLayers>;
  telling: ReturnType<typeof useMeters>;
  trying: ReturnType<typeof useTrying>;
  tab: Tab;
  onTab: (tab: Tab) => void;
  aim: Aim | null;
  aims: Aim[];
  pen: boolean;
  onAim: (aim: Aim) => void;
  onPen: (pen: boolean) => void;
  onTake: () => void;
}

interface Props extends OfChosen {
  member: Member;
  /** The step that is open, where who shows it must know. */
  step?: [string | null, (id: string | null) => void];
  /** Where it lies in time, in place of the strike line, drawn with what edits the layer. */
  timed?: (onEdit: (values: Partial<Member>, gesture?: string) => void) => ReactNode;
  /** What it is called here. */
  called?: string;
}

/** What a frozen layer cannot be changed in. */
const OF_THE_AUDIO: readonly string[] = [
  "node",
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
] satisfies (keyof Member)[];

export function MemberTabs({ mix, member, layers, telling, trying, tab, onTab, aim, aims, pen, onAim, onPen, onTake, step, timed, called }: Props) {
  const own = useState<string | null>(null);
  const [chosenStep, onChooseStep] = step ?? own;
  const { layout, newer } = telling;
  const placed = layout?.layers.find((one) => one.id === member.id);
  /** Whether these fields may be changed now; what stands against it is said. */
  const free = (fields: string[]) => {
    const frozen = member.frozen && fields.some((key) => OF_THE_AUDIO.includes(key));
    if (member.locked && !fields.includes("locked")) tell(`${member.name} is locked; unlock it to change it.`);
    else if (frozen) tell(`${member.name} is frozen; thaw it (Ctrl E) to change that.`);
    else return true;
    return false;
  };
  const edit = (values: Partial<Member>, gesture?: string) => free(Object.keys(values)) && layers.edit(member.id, values, gesture);
  return (
    <LayerTabs
      tab={tab}
      onTab={(next) => {
        onTab(next);
        trying.setTried(null);
      }}
    >
      {tab === "layer" && (
        <LayerPanel
          member={member}
          newer={newer.some((one) => one.id === member.id && !one.gone)}
          mix={mix}
          placed={placed}
          speakers={layout?.speakers ?? []}
          onEdit={edit}
          chosenStep={chosenStep}
          onChooseStep={onChooseStep}
          onRemove={layers.remove}
          onFreeze={() => void layers.freeze()}
          onBed={(bed, gesture) => free(["node"]) && layers.toBed(member, bed, gesture)}
          onRedraw={() => free(["node"]) && layers.redraw(member)}
          onNewer={() => void layers.renew([member.id])}
          called={called}
          timed={timed?.(edit)}
        />
      )}
      {tab === "curves" && aim && (
        <CurvePanel member={member} placed={placed} aim={aim} aims={aims} pen={pen} onAim={onAim} onPen={onPen} onEdit={edit} />
      )}
      {tab === "source" && (
        <SourcePanel
          member={member}
          tried={trying.tried?.id === member.id ? trying.tried.sound : null}
          keepLength={trying.keepLength}
          onKeepLength={trying.setKeepLength}
          onTry={(sound) => void trying.tryOut(mix, member, layout, sound)}
          onTake={onTake}
          onRoll={() => void layers.roll([member.id], trying.keepLength)}
          onEdit={edit}
        />
      )}
      {tab === "tune" && <TunePanel mix={mix} member={member} onEdit={edit} />}
    </LayerTabs>
  );
}
