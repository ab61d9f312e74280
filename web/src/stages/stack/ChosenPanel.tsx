/** What is chosen on the bench, beside the lanes: one layer, several, a group, or the sum. */
import { Box } from "@chakra-ui/react";
import type { Member, Mix } from "../../api/client";
import type { Aim } from "../../bench/aims";
import { CurvePanel } from "../../bench/CurvePanel";
import { LayerPanel } from "../../bench/LayerPanel";
import { LayerTabs, type Tab } from "../../bench/LayerTabs";
import { GroupPanel, ManyPanel } from "../../bench/ManyPanel";
import { SourcePanel } from "../../bench/SourcePanel";
import { TunePanel } from "../../bench/TunePanel";
import type { useLayers } from "../../bench/useLayers";
import type { useMeters } from "../../bench/useMeters";
import type { useTrying } from "../../bench/useTrying";
import { Side } from "../../ui/frames";
import { tell } from "../../ui/messages";
import { PrintShift } from "./PrintShift";
import { SumPanel } from "./SumPanel";
import type { useComparing } from "./useComparing";
import type { usePrinting } from "./usePrinting";
import type { useVersions, Version } from "./Versions";

interface Props {
  design: number;
  mix: Mix;
  chosen: string[];
  layers: ReturnType<typeof useLayers>;
  telling: ReturnType<typeof useMeters>;
  trying: ReturnType<typeof useTrying>;
  printing: ReturnType<typeof usePrinting>;
  comparing: ReturnType<typeof useComparing>;
  versions: ReturnType<typeof useVersions>;
  tab: Tab;
  onTab: (tab: Tab) => void;
  aim: Aim | null;
  aims: Aim[];
  pen: boolean;
  onAim: (aim: Aim) => void;
  onPen: (pen: boolean) => void;
  chosenStep: string | null;
  onChooseStep: (id: string | null) => void;
  onChange: (mix: Mix, gesture?: string) => void;
  onTry: (sound: number | null) => void;
  onTake: () => void;
  onCompare: () => void;
  onRestore: (version: Version) => void;
}

/** What a frozen layer cannot be changed in. */
const OF_THE_AUDIO: readonly string[] = [
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

export function ChosenPanel(props: Props) {
  const { design, mix, chosen, layers, telling, trying, printing, comparing, versions, tab, aim, aims, pen } = props;
  const {
    chosenStep,
    onChooseStep: setChosenStep,
    onTab: setTab,
    onAim: setAim,
    onPen: setPen,
    onChange,
    onTry,
    onTake,
    onCompare,
    onRestore,
  } = props;
  const { member, members, group } = layers;
  const { layout, meters, crowding, newer, sum } = telling;
  const speakers = layout?.speakers ?? [];
  const editMember = (values: Partial<Member>, gesture?: string) => {
    if (!member) return;
    const allowed = !member.locked || "locked" in values;
    const frozen = member.frozen && Object.keys(values).some((key) => OF_THE_AUDIO.includes(key));
    if (!allowed) tell(`${member.name} is locked; unlock it to change it.`);
    else if (frozen) tell(`${member.name} is frozen; thaw it (Ctrl E) to change that.`);
    else layers.edit(member.id, values, gesture);
  };
  return (
    <Side label={members.length > 1 ? "Layers" : member ? "Layer" : group ? "Group" : "Sum"}>
      {members.length > 1 ? (
        <ManyPanel
          members={members}
          grouped={!!members[0].group && members.every((one) => one.group === members[0].group)}
          onEach={layers.each}
          onGroup={layers.toGroup}
          onFreeze={() => void layers.freeze()}
          onRoll={() => void layers.roll(chosen, trying.keepLength)}
          onRemove={layers.remove}
        />
      ) : member ? (
        <LayerTabs
          tab={tab}
          onTab={(next) => {
            setTab(next);
            trying.setTried(null);
          }}
        >
          {tab === "layer" && (
            <LayerPanel
              member={member}
              newer={newer.some((one) => one.id === member.id && !one.gone)}
              mix={mix}
              placed={layout?.layers.find((one) => one.id === member.id)}
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
              placed={layout?.layers.find((one) => one.id === member.id)}
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
              tried={trying.tried?.id === member.id ? trying.tried.sound : null}
              keepLength={trying.keepLength}
              onKeepLength={trying.setKeepLength}
              onTry={(sound) => void onTry(sound)}
              onTake={onTake}
              onRoll={() => void layers.roll([member.id], trying.keepLength)}
              onEdit={editMember}
            />
          )}
          {tab === "tune" && <TunePanel mix={mix} member={member} onEdit={editMember} />}
        </LayerTabs>
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
          design={design}
          mix={mix}
          layout={layout}
          printed={printing.printed}
          onPrinted={printing.setPrinted}
          saved={printing.saved}
          meters={meters}
          crowding={crowding}
          shift={<PrintShift shifting={printing.shifting} onChange={printing.setShifting} onDo={() => void printing.printShift()} />}
          onChange={onChange}
          chosenStep={chosenStep}
          onChooseStep={setChosenStep}
          versions={{
            mix,
            versions,
            against: comparing.against,
            hearing: comparing.hearing,
            onAgainst: (version) => {
              if (comparing.hearing) onCompare();
              comparing.setAgainst(version);
            },
            onHear: () => onCompare(),
            onRestore,
          }}
        />
      )}
      {sum.error && (
        <Box role="alert" color="coral">
          {sum.error.message}
        </Box>
      )}
    </Side>
  );
}
