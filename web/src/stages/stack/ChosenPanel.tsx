/** What is chosen on the bench, beside the lanes: one layer, several, a group, or the sum. */
import { Box } from "@chakra-ui/react";
import type { Mix } from "../../api/client";
import type { Aim } from "../../bench/aims";
import type { Tab } from "../../bench/LayerTabs";
import { GroupPanel, ManyPanel } from "../../bench/ManyPanel";
import { MemberTabs } from "../../bench/MemberTabs";
import type { useLayers } from "../../bench/useLayers";
import type { useMeters } from "../../bench/useMeters";
import type { useTrying } from "../../bench/useTrying";
import { Side } from "../../ui/frames";
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
  onTake: () => void;
  onCompare: () => void;
  onRestore: (version: Version) => void;
}

export function ChosenPanel(props: Props) {
  const { design, mix, chosen, layers, telling, trying, printing, comparing, versions, tab, aim, aims, pen } = props;
  const { chosenStep, onChooseStep: setChosenStep, onTab: setTab, onAim: setAim, onPen: setPen, onChange, onTake, onCompare, onRestore } = props;
  const { member, members, group } = layers;
  const { layout, meters, crowding, sum } = telling;
  const speakers = layout?.speakers ?? [];
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
        <MemberTabs
          {...{ mix, member, layers, telling, trying, tab, aim, aims, pen, onTake }}
          onTab={setTab}
          onAim={setAim}
          onPen={setPen}
          step={[chosenStep, setChosenStep]}
        />
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
