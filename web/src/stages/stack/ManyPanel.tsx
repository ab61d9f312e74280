/** Several layers at once, and a group of them. */
import { Box, Flex } from "@chakra-ui/react";
import type { Group, Member, Mix, Step } from "../../api/client";
import { Do, Fact, Heading, Line, Num, TextField } from "../../ui/parts";
import { useRanges } from "../../ui/ranges";
import { Colour, Role } from "./LayerPanel";
import { Placing, type Speaker } from "./Placing";
import { StackChain } from "./StackChain";

interface ManyProps {
  members: Member[];
  grouped: boolean;
  onEach: (values: (member: Member) => Partial<Member>, gesture?: string) => void;
  onGroup: () => void;
  onFreeze: () => void;
  onRoll: () => void;
  onRemove: () => void;
}

/** What is the same of all is shown; what is moved is moved by the same for all. */
export function ManyPanel({ members, grouped, onEach, onGroup, onFreeze, onRoll, onRemove }: ManyProps) {
  const range = useRanges();
  const first = members[0];
  const bound = (value: number, low: number, high: number) => Math.min(high, Math.max(low, Number(value.toFixed(6))));
  const same = <T,>(of: (member: Member) => T) => (members.every((one) => of(one) === of(first)) ? of(first) : undefined);
  return (
    <>
      <Heading>{members.length} layers</Heading>
      <Box color="dim" fontSize="12px">
        {members.map((one) => one.name).join(", ")}
      </Box>
      <Num
        {...range("Member", "gain_db")}
        label="Gain, moved together"
        value={first.gain_db}
        unit="dB"
        low={-48}
        high={24}
        step={0.1}
        onChange={(gain_db, gesture) => onEach((one) => ({ gain_db: bound(one.gain_db + gain_db - first.gain_db, -96, 36) }), gesture)}
      />
      <Num
        {...range("Member", "pitch_st")}
        label="Pitch, moved together"
        value={first.pitch_st}
        unit="st"
        low={-36}
        high={24}
        step={0.5}
        digits={2}
        onChange={(pitch_st, gesture) => onEach((one) => ({ pitch_st: bound(one.pitch_st + pitch_st - first.pitch_st, -48, 36) }), gesture)}
      />
      <Num
        {...range("Member", "at_s")}
        label="From strike, moved together"
        value={first.at_s}
        unit="s"
        low={-2}
        high={4}
        step={0.001}
        digits={3}
        onChange={(at_s, gesture) => onEach((one) => ({ at_s: bound(one.at_s + at_s - first.at_s, -600, 86_400) }), gesture)}
      />
      <Flex gap="6px" wrap="wrap">
        <Do act="group" onClick={onGroup}>
          {grouped ? "Dissolve group" : "Group"}
        </Do>
        <Do act="freeze" onClick={onFreeze}>
          Freeze
        </Do>
        <Do act="roll" onClick={onRoll}>
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
        <Do act="remove" onClick={onRemove}>
          Remove layers
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
  share: number | undefined;
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
      <Fact name="Share of the sum">{share === undefined ? "…" : `${(100 * share).toFixed(0)} %`}</Fact>
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
        <StackChain
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
