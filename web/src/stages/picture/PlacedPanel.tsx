/** The chosen placements: one with all that a layer has, on its frame; several together. */
import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Member } from "../../api/client";
import { ManyPanel } from "../../bench/ManyPanel";
import { MemberTabs, type OfChosen } from "../../bench/MemberTabs";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { useControl } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Line } from "../../ui/frames";
import { tell } from "../../ui/messages";
import { CodeField } from "./CodeField";
import { momentOf, nearestFrame, type Scene } from "./frames";

interface Props extends OfChosen {
  scene: Scene;
  onFit: (seconds: number) => void;
  onReplace: (words: string) => void;
  onGroup: (name: string) => void;
  onDesign: () => void;
}

/** Where a placement lies, and how long it is to sound. */
function Timed({
  scene,
  member,
  seconds,
  onEdit,
  onFit,
  onGroup,
  onDesign,
}: Pick<Props, "scene" | "onFit" | "onGroup" | "onDesign"> & {
  member: Member;
  seconds: number | undefined;
  onEdit: (values: Partial<Member>) => void;
}) {
  const groups = scene.mix?.groups ?? [];
  const offered = useControl("Grouping", "group")?.options ?? [];
  const names = [...new Set([...groups.map((one) => one.name ?? ""), ...offered.map((one) => one.label)])].filter(Boolean);
  const fit = (text: string) => {
    const wanted = Number.parseFloat(text.replace(",", "."));
    if (!(wanted > 0)) return tell(`${text}: no length; write seconds, like 1.25 s.`, true);
    onFit(wanted);
  };
  return (
    <Flex direction="column" gap="5px">
      <CodeField
        label="Anchor"
        frame={nearestFrame(member.at_s, scene)}
        scene={scene}
        onFrame={(frame) => frame !== null && onEdit({ at_s: momentOf(frame, scene) })}
      />
      <TextField named mono label="Sounds" value={seconds === undefined ? "" : `${seconds.toFixed(3)} s`} onCommit={fit} />
      <Choose
        label="Group"
        value={groups.find((one) => one.id === member.group)?.name ?? ""}
        options={[...(member.group ? [] : [["", "in no group"] as const]), ...names.map((name) => [name, name] as const)]}
        onChange={onGroup}
      />
      <Do onClick={onDesign} hint="In Stack; what is changed there can be taken here (F4)">
        {member.origin?.kind === "design" ? "Open the design" : "Open as a design"}
      </Do>
    </Flex>
  );
}

/** Another set for a run of placements, in order. */
function ReplaceRun({ onReplace }: { onReplace: (words: string) => void }) {
  const [words, setWords] = useState("");
  return (
    <Flex direction="column" gap="6px">
      <Line />
      <TextField label="Search for another set" placeholder="Sounds to put there in turn" value={words} onCommit={setWords} />
      <Do disabled={!words.trim()} onClick={() => onReplace(words)} hint="In order of time, by name, over and over; what is locked stays">
        Replace in order
      </Do>
    </Flex>
  );
}

export function PlacedPanel(props: Props) {
  const { scene, mix, layers, telling, trying, tab, aim, aims, pen } = props;
  const { member, members } = layers;
  const placed = telling.layout?.layers.find((one) => one.id === member?.id);
  if (members.length > 1)
    return (
      <>
        <ManyPanel layers={layers} keepLength={trying.keepLength} called="placements" zero="From first frame" />
        <ReplaceRun onReplace={props.onReplace} />
      </>
    );
  if (!member) return null;
  return (
    <MemberTabs
      {...{ mix, member, layers, telling, trying, tab, aim, aims, pen }}
      onTab={props.onTab}
      onAim={props.onAim}
      onPen={props.onPen}
      onTake={props.onTake}
      called="placement"
      timed={(onEdit) => (
        <Timed
          scene={scene}
          member={member}
          seconds={placed?.seconds}
          onEdit={onEdit}
          onFit={props.onFit}
          onGroup={props.onGroup}
          onDesign={props.onDesign}
        />
      )}
    />
  );
}
