import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import type { Member, Mix, Step } from "../../api/client";
import { live, useListening } from "../../listening/player";
import { Choose, Do, Heading, Line, Num, Pick, TextField } from "../../ui/parts";
import { useRanges } from "../../ui/ranges";
import { COLOURS, carried, type Placed, ROLES, SHAPES } from "./design";
import { Placing, type Speaker } from "./Placing";
import { StackChain } from "./StackChain";

interface Props {
  member: Member;
  newer: boolean;
  mix: Mix;
  placed: Placed | undefined;
  speakers: Speaker[];
  onEdit: (values: Partial<Member>, gesture?: string) => void;
  chosenStep: string | null;
  onChooseStep: (id: string | null) => void;
  onRemove: () => void;
  onFreeze: () => void;
  onNewer: () => void;
}

/** A role of the list, or the user's own. */
export function Role({ role, onChange }: { role: string; onChange: (role: string) => void }) {
  return (
    <Flex direction="column" gap="4px">
      <Pick label="Role" value={role} options={ROLES} onChange={(next) => onChange(next === role ? "" : next)} />
      <TextField
        label="Role of your own"
        placeholder="a role of your own"
        value={(ROLES as readonly string[]).includes(role) ? "" : role}
        onCommit={(next) => onChange(next.trim().slice(0, 40))}
      />
    </Flex>
  );
}

export function Colour({ colour, onChange }: { colour: string; onChange: (colour: Member["colour"]) => void }) {
  return (
    <Flex gap="6px" align="center" role="radiogroup" aria-label="Colour">
      <Box color="dim" flex={1}>
        Colour
      </Box>
      {COLOURS.map((one) => (
        <Box
          asChild
          key={one}
          w="18px"
          h="18px"
          borderRadius="5px"
          bg={one}
          cursor="pointer"
          border="2px solid"
          borderColor={colour === one ? "amber" : "transparent"}
        >
          <button
            type="button"
            role="radio"
            aria-checked={colour === one}
            aria-label={one}
            title={one}
            onClick={() => onChange(colour === one ? "" : one)}
          />
        </Box>
      ))}
    </Flex>
  );
}

/** The moment of a layer's source that is at the playhead, if the layer is heard there. */
function momentOf(placed: Placed | undefined): number | null {
  const heard = useListening.getState().heard;
  if (!placed || !heard) return null;
  const own = (live.position - heard.opened.zero) / heard.opened.rate - placed.start_s;
  return own < 0 || own > placed.seconds ? null : carried(placed.line, own, 1);
}

/** The chosen layer: level, place, pitch, edges, chain. */
export function LayerPanel({ member, newer, mix, placed, speakers, onEdit, chosenStep, onChooseStep, onRemove, onFreeze, onNewer }: Props) {
  const range = useRanges();
  const frozen = !!member.frozen;
  return (
    <>
      <TextField label="Name of the layer" value={member.name} onCommit={(name) => onEdit({ name })} />
      <Flex gap="6px" wrap="wrap">
        <Do act="freeze" on={frozen} onClick={onFreeze}>
          {frozen ? "Thaw" : "Freeze"}
        </Do>
        <Do on={member.locked} onClick={() => onEdit({ locked: !member.locked })} hint="A locked layer is not moved, rolled or replaced">
          {member.locked ? "Locked" : "Lock"}
        </Do>
        {newer && (
          <Do act="newer" onClick={onNewer}>
            Take newer
          </Do>
        )}
      </Flex>
      {(frozen || member.locked) && (
        <Box color="dim" fontSize="12px">
          {frozen ? "Frozen to audio: gain, pan and place can be changed; thaw it for the rest." : "Locked: unlock it to change it."}
        </Box>
      )}
      <Placing of={member} layout={mix.layout} speakers={speakers} point={placed?.channels === 1} onEdit={onEdit} />
      <SimpleGrid columns={2} columnGap="16px" rowGap="4px">
        <Num
          {...range("Member", "pitch_st")}
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
          {...range("Member", "stretch")}
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
          {...range("Member", "at_s")}
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
          {...range("Member", "anchor_s")}
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
        <Do act="toStrike" onClick={() => onEdit({ at_s: 0 })}>
          To strike line
        </Do>
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
          {...range("Member", "fade_in_s")}
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
          {...range("Member", "fade_out_s")}
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
      <SimpleGrid columns={2} columnGap="12px">
        {(["fade_in_shape", "fade_out_shape"] as const).map((name) => (
          <Choose
            key={name}
            label={name === "fade_in_shape" ? "Curve of the fade in" : "Curve of the fade out"}
            value={member[name]}
            options={SHAPES.map((one) => [one, one] as const)}
            onChange={(shape) => onEdit({ [name]: shape })}
          />
        ))}
        <Num
          {...range("Member", "start_s")}
          label="Start"
          value={member.start_s ?? 0}
          unit="s"
          low={0}
          high={Math.max(1, (member.end_s ?? 4) - 0.001)}
          normal={0}
          step={0.001}
          digits={3}
          onChange={(start_s, gesture) => onEdit({ start_s }, gesture)}
        />
        {member.end_s != null ? (
          <Num
            {...range("Member", "end_s")}
            label="End"
            value={member.end_s}
            unit="s"
            low={0.001}
            high={Math.max(1, member.end_s * 2)}
            step={0.001}
            digits={3}
            onChange={(end_s, gesture) => onEdit({ end_s }, gesture)}
          />
        ) : (
          <Flex justify="space-between" minH="20px">
            <Box color="dim">End</Box>
            <Box fontFamily="mono" fontSize="12px">
              of the sound
            </Box>
          </Flex>
        )}
      </SimpleGrid>
      {(member.start_s != null || member.end_s != null) && (
        <Flex justify="flex-end">
          <Do quiet onClick={() => onEdit({ start_s: null, end_s: null })}>
            Whole sound
          </Do>
        </Flex>
      )}
      <Role role={member.role} onChange={(role) => onEdit({ role })} />
      <Colour colour={member.colour} onChange={(colour) => onEdit({ colour })} />
      <Line />
      <Heading>Chain</Heading>
      <StackChain
        mix={mix}
        of={member.id}
        chain={member.chain as Step[]}
        onChange={(chain, gesture) => onEdit({ chain }, gesture)}
        chosen={chosenStep}
        onChoose={onChooseStep}
        channels={placed?.channels}
        rate={placed?.rate}
        moment={() => momentOf(placed)}
      />
      <Flex mt="auto" pt="8px">
        <Do act="remove" onClick={onRemove}>
          Remove layer
        </Do>
      </Flex>
    </>
  );
}
