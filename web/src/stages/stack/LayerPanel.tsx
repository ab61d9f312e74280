import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import type { Member, Step } from "../../api/client";
import { Do, Heading, Line, Num, Pick, TextField } from "../../app/parts";
import { StepList } from "../../app/StepList";

const ROLES = ["attack", "body", "weight", "tone", "tail", "air"] as const;
const SHAPES = ["linear", "equal power", "sine", "logarithmic", "exponential"] as const;

interface Props {
  member: Member;
  onEdit: (values: Partial<Member>, gesture?: string) => void;
  chosenStep: string | null;
  onChooseStep: (id: string | null) => void;
  onRemove: () => void;
}

/** The chosen layer: level, place, pitch, edges, chain. */
export function LayerPanel({ member, onEdit, chosenStep, onChooseStep, onRemove }: Props) {
  return (
    <>
      <Heading>Layer</Heading>
      <TextField label="Name of the layer" value={member.name} onCommit={(name) => onEdit({ name })} />
      <SimpleGrid columns={2} columnGap="16px" rowGap="4px">
        <Num
          label="Gain"
          value={member.gain_db}
          unit="dB"
          low={-48}
          high={24}
          normal={0}
          step={0.1}
          onChange={(gain_db, gesture) => onEdit({ gain_db }, gesture)}
        />
        <Num
          label="Pan"
          value={member.pan}
          low={-1}
          high={1}
          step={0.01}
          digits={2}
          normal={0}
          format={(value) => (value === 0 ? "centre" : `${Math.round(Math.abs(value) * 100)} ${value < 0 ? "L" : "R"}`)}
          onChange={(pan, gesture) => onEdit({ pan }, gesture)}
        />
        <Num
          label="Pitch"
          value={member.pitch_st}
          unit="st"
          low={-36}
          high={24}
          normal={0}
          step={0.5}
          digits={2}
          onChange={(pitch_st, gesture) => onEdit({ pitch_st }, gesture)}
        />
        <Num
          label="Stretch"
          value={member.stretch}
          unit="×"
          low={0.25}
          high={4}
          normal={1}
          log
          step={0.01}
          digits={2}
          onChange={(stretch, gesture) => onEdit({ stretch }, gesture)}
        />
        <Num
          label="From strike"
          value={member.at_s}
          unit="s"
          low={-2}
          high={4}
          normal={0}
          step={0.001}
          digits={3}
          onChange={(at_s, gesture) => onEdit({ at_s }, gesture)}
        />
        <Num
          label="Anchor"
          value={member.anchor_s}
          unit="s"
          low={0}
          high={Math.max(2, member.anchor_s * 2)}
          step={0.001}
          digits={3}
          onChange={(anchor_s, gesture) => onEdit({ anchor_s }, gesture)}
        />
      </SimpleGrid>
      <Flex gap="6px" wrap="wrap">
        <Do on={!member.keep_length} onClick={() => onEdit({ keep_length: false })} hint="Pitch and length change together">
          Varispeed
        </Do>
        <Do on={member.keep_length} onClick={() => onEdit({ keep_length: true })} hint="Pitch changes, the length stays">
          Keep length
        </Do>
        <Do on={member.reverse} act="reverse" onClick={() => onEdit({ reverse: !member.reverse })}>
          Reverse
        </Do>
      </Flex>
      <Line />
      <SimpleGrid columns={2} columnGap="16px">
        <Num
          label="Fade in"
          value={member.fade_in_s}
          unit="s"
          low={0}
          high={4}
          normal={0}
          step={0.005}
          digits={3}
          onChange={(fade_in_s, gesture) => onEdit({ fade_in_s }, gesture)}
        />
        <Num
          label="Fade out"
          value={member.fade_out_s}
          unit="s"
          low={0}
          high={4}
          normal={0}
          step={0.005}
          digits={3}
          onChange={(fade_out_s, gesture) => onEdit({ fade_out_s }, gesture)}
        />
      </SimpleGrid>
      {(member.fade_in_s > 0 || member.fade_out_s > 0) && (
        <Pick
          label="Fade curve"
          value={member.fade_out_shape as (typeof SHAPES)[number]}
          options={SHAPES}
          onChange={(shape) => onEdit({ fade_in_shape: shape, fade_out_shape: shape })}
        />
      )}
      {(member.start_s != null || member.end_s != null) && (
        <Flex justify="space-between" align="center">
          <Box fontFamily="mono" fontSize="12px" color="dim">
            part {(member.start_s ?? 0).toFixed(3)} to {member.end_s == null ? "end" : `${member.end_s.toFixed(3)} s`}
          </Box>
          <Do quiet onClick={() => onEdit({ start_s: null, end_s: null })}>
            Whole sound
          </Do>
        </Flex>
      )}
      <Pick label="Role" value={member.role} options={ROLES} onChange={(role) => onEdit({ role: role === member.role ? "" : role })} />
      <Line />
      <Heading>Chain</Heading>
      <StepList
        chain={member.chain as Step[]}
        onChange={(chain, gesture) => onEdit({ chain }, gesture)}
        chosen={chosenStep}
        onChoose={onChooseStep}
      />
      <Flex mt="auto" pt="8px">
        <Do act="remove" onClick={onRemove}>
          Remove layer
        </Do>
      </Flex>
    </>
  );
}
