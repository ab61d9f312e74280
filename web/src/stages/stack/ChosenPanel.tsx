/** What is chosen on the bench, beside the lanes: one layer, several, a group, or the sum. */
import { Box } from "@chakra-ui/react";
import type { Mix } from "../../api/client";
import { GroupPanel, ManyPanel } from "../../bench/ManyPanel";
import { MemberTabs, type OfChosen } from "../../bench/MemberTabs";
import { Side } from "../../ui/frames";
import { PrintShift } from "./PrintShift";
import { SumPanel } from "./SumPanel";
import type { DesignVersions, Version } from "./useDesignVersions";
import type { usePrinting } from "./usePrinting";

interface Props extends OfChosen {
  design: number;
  printing: ReturnType<typeof usePrinting>;
  versions: DesignVersions;
  chosenStep: string | null;
  onChooseStep: (id: string | null) => void;
  onChange: (mix: Mix, gesture?: string) => void;
  onCompare: () => void;
  onRestore: (version: Version) => void;
}

export function ChosenPanel(props: Props) {
  const { design, mix, layers, telling, trying, printing, versions, tab, aim, aims, pen } = props;
  const { chosenStep, onChooseStep: setChosenStep, onTab: setTab, onAim: setAim, onPen: setPen, onChange, onTake, onCompare, onRestore } = props;
  const { member, members, group } = layers;
  const { layout, meters, crowding, sum } = telling;
  const speakers = layout?.speakers ?? [];
  return (
    <Side label={members.length > 1 ? "Layers" : member ? "Layer" : group ? "Group" : "Sum"}>
      {members.length > 1 ? (
        <ManyPanel layers={layers} keepLength={trying.keepLength} />
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
          versions={{ ...versions.panel, onHear: onCompare, onRestore }}
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
