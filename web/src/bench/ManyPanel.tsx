/** Several layers at once, and a group of them. */
import { Box, Flex } from "@chakra-ui/react";
import type { Control, Group, Member, Mix, Step } from "../api/client";
import { Do } from "../ui/buttons";
import { ControlOf, useModels } from "../ui/controls";
import { TextField } from "../ui/fields";
import { Fact, Facts, Heading, Line } from "../ui/frames";
import { Colour, Role } from "./LayerPanel";
import { MixChain } from "./MixChain";
import { Placing, type Speaker } from "./Placing";
import type { useLayers } from "./useLayers";

interface ManyProps {
  layers: ReturnType<typeof useLayers>;
  /** Whether a roll keeps the length of what it takes. */
  keepLength: boolean;
  /** What they are called here, and from where on their moments are counted. */
  called?: string;
  zero?: string;
}

const MOVED = ["gain_db", "pitch_st", "at_s"] as const;

/** What is the same of all is shown; what is moved is moved by the same for all. */
export function ManyPanel({ layers, keepLength, called = "layers", zero }: ManyProps) {
  const { members, each: onEach } = layers;
  const controls = useModels()?.Member?.controls ?? [];
  const first = members[0];
  const bound = (value: number, control: Control | undefined) =>
    Math.min(control?.high ?? value, Math.max(control?.low ?? value, Number(value.toFixed(6))));
  const same = <T,>(of: (member: Member) => T) => (members.every((one) => of(one) === of(first)) ? of(first) : undefined);
  return (
    <>
      <Heading>
        {members.length} {called}
      </Heading>
      <Box color="dim" fontSize="12px">
        {members.map((one) => one.name).join(", ")}
      </Box>
      {MOVED.map((name) => {
        const control = controls.find((one) => one.name === name);
        const label = name === "at_s" && zero ? zero : control?.label;
        return (
          <ControlOf
            key={name}
            control={control}
            label={`${label}, moved together`}
            value={first[name]}
            onChange={(value, gesture) => onEach((one) => ({ [name]: bound(one[name] + value - first[name], control) }), gesture)}
          />
        );
      })}
      <Flex gap="6px" wrap="wrap">
        <Do act="group" onClick={layers.toGroup}>
          {first.group && members.every((one) => one.group === first.group) ? "Dissolve group" : "Group"}
        </Do>
        <Do act="freeze" onClick={() => void layers.freeze()}>
          Freeze
        </Do>
        <Do
          act="roll"
          onClick={() =>
            void layers.roll(
              members.map((one) => one.id),
              keepLength,
            )
          }
        >
          Roll
        </Do>
        <Do onClick={() => onEach((one) => ({ mute: !members.every((each) => each.mute), id: one.id }))}>
          {members.every((one) => one.mute) ? "Unmute" : "Mute"}
        </Do>
        <Do onClick={() => onEach(() => ({ locked: !members.every((each) => each.locked) }))}>
          {members.every((one) => one.locked) ? "Unlock" : "Lock"}
        </Do>
      </Flex>
      <Line />
      <Role role={same((one) => one.role) ?? ""} onChange={(role) => onEach(() => ({ role }))} />
      <Colour colour={same((one) => one.colour) ?? ""} onChange={(colour) => onEach(() => ({ colour }))} />
      <Flex mt="auto" pt="8px">
        <Do act="remove" onClick={layers.remove}>
          Remove {called}
        </Do>
      </Flex>
    </>
  );
}

interface GroupProps {
  group: Group;
  members: Member[];
  mix: Mix;
  speakers: Speaker[];
  /** Undefined until it is measured; null where it is not. */
  share: number | null | undefined;
  onEdit: (values: Partial<Group>, gesture?: string) => void;
  onDissolve: () => void;
  onFreeze: () => void;
  chosenStep: string | null;
  onChooseStep: (id: string | null) => void;
}

export function GroupPanel({ group, members, mix, speakers, share, onEdit, onDissolve, onFreeze, chosenStep, onChooseStep }: GroupProps) {
  return (
    <>
      <Heading>Group of {members.length}</Heading>
      <TextField label="Name of the group" value={group.name} onCommit={(name) => onEdit({ name: name.trim() || group.name })} />
      {share !== null && (
        <Facts>
          <Fact name="Share of the sum">{share === undefined ? "…" : `${(100 * share).toFixed(0)} %`}</Fact>
        </Facts>
      )}
      <Placing of={group} layout={mix.layout} speakers={speakers} onEdit={onEdit} />
      <Flex gap="6px" wrap="wrap">
        <Do act="freeze" on={!!group.frozen} onClick={onFreeze}>
          {group.frozen ? "Thaw" : "Freeze"}
        </Do>
        <Do act="group" onClick={onDissolve}>
          Dissolve
        </Do>
      </Flex>
      <Colour colour={group.colour} onChange={(colour) => onEdit({ colour })} />
      <Line />
      <Heading>Chain on the group</Heading>
      {group.frozen ? (
        <Box color="dim" fontSize="12px">
          Frozen to audio: thaw it to change its layers or chain.
        </Box>
      ) : (
        <MixChain
          mix={mix}
          of={group.id}
          chain={group.chain as Step[]}
          onChange={(chain, gesture) => onEdit({ chain }, gesture)}
          chosen={chosenStep}
          onChoose={onChooseStep}
        />
      )}
    </>
  );
}
