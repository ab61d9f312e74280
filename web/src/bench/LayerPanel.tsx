import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import type { ReactNode } from "react";
import type { Member, Mix, Step } from "../api/client";
import { live } from "../listening/player";
import { useListening } from "../listening/state";
import { carried } from "../mix/line";
import { Do } from "../ui/buttons";
import { Pick } from "../ui/choices";
import { ControlOf, Controls, useControl } from "../ui/controls";
import { TextField } from "../ui/fields";
import { Heading, Line } from "../ui/frames";
import type { Placed } from "./aims";
import { MixChain } from "./MixChain";
import { Placing, type Speaker } from "./Placing";
import { type Bed, bedOf, isOfSeveral } from "./useBeds";

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
  onBed: (bed: Bed, gesture?: string) => void;
  onRedraw: () => void;
  onNewer: () => void;
  /** Where it lies in time, in place of the strike line. */
  timed?: ReactNode;
  /** What it is called here. */
  called?: string;
}

/** What stands against a layer as it is, in its own panel. */
function Said({ text }: { text: string | undefined }) {
  if (!text) return null;
  return (
    <Box role="status" color="coral" fontSize="12px">
      {text}
    </Box>
  );
}

/** A role of the list, or the user's own. */
export function Role({ role, onChange }: { role: string; onChange: (role: string) => void }) {
  const offered = (useControl("Member", "role")?.options ?? []).map((one) => one.label);
  return (
    <Flex direction="column" gap="4px">
      <Pick label="Role" value={role} options={offered} onChange={(next) => onChange(next === role ? "" : next)} />
      <TextField
        label="Role of your own"
        placeholder="a role of your own"
        value={offered.includes(role) ? "" : role}
        onCommit={(next) => onChange(next.trim().slice(0, 40))}
      />
    </Flex>
  );
}

export function Colour({ colour, onChange }: { colour: string; onChange: (colour: Member["colour"]) => void }) {
  const offered = (useControl("Member", "colour")?.options ?? []).map((one) => one.value as Member["colour"]).filter(Boolean);
  return (
    <Flex gap="6px" align="center" role="radiogroup" aria-label="Colour">
      <Box color="dim" flex={1}>
        Colour
      </Box>
      {offered.map((one) => (
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

/** How a layer goes on past its own length. */
function GoingOn({ member, seconds, onBed, onRedraw }: Pick<Props, "member" | "onBed" | "onRedraw"> & { seconds: number | undefined }) {
  const bed = bedOf(member, seconds);
  const length = useControl("Bed", "seconds");
  return (
    <Flex direction="column" gap="4px">
      <ControlOf
        control={length && { ...length, begins: seconds ?? length.begins }}
        value={bed.seconds}
        onChange={(next, gesture) => onBed({ ...bed, seconds: next }, gesture)}
      />
      {bed.seconds !== null && !isOfSeveral(member) && (
        <Flex gap="6px" align="center" wrap="wrap">
          <Controls<Bed> model="Bed" names={["anew"]} value={bed} onChange={(values) => onBed({ ...bed, ...values })} />
          {bed.anew && (
            <Do onClick={onRedraw} hint="Its stretches in another order">
              Draw again
            </Do>
          )}
        </Flex>
      )}
    </Flex>
  );
}

/** The chosen layer: level, place, pitch, edges, chain. */
export function LayerPanel({
  member,
  newer,
  mix,
  placed,
  speakers,
  onEdit,
  chosenStep,
  onChooseStep,
  onRemove,
  onFreeze,
  onBed,
  onRedraw,
  onNewer,
  timed,
  called = "layer",
}: Props) {
  const [start, end] = [useControl("Member", "start_s"), useControl("Member", "end_s")];
  const whole = placed?.whole_s ?? Math.max(1, member.end_s ?? 4);
  const frozen = !!member.frozen;
  return (
    <>
      <TextField label={`Name of the ${called}`} value={member.name} onCommit={(name) => onEdit({ name })} />
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
      <Said text={placed?.missing} />
      <Said text={placed?.dull} />
      {timed}
      <Placing of={member} layout={mix.layout} speakers={speakers} point={placed?.channels === 1} onEdit={onEdit} />
      <SimpleGrid columns={2} columnGap="16px" rowGap="4px">
        <Controls<Member>
          model="Member"
          names={timed ? ["pitch_st", "stretch"] : ["pitch_st", "stretch", "at_s", "anchor_s"]}
          value={member}
          onChange={onEdit}
        />
      </SimpleGrid>
      <Flex gap="6px" wrap="wrap">
        {!timed && (
          <Do act="toStrike" onClick={() => onEdit({ at_s: 0 })}>
            To strike line
          </Do>
        )}
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
        <Controls<Member> model="Member" names={["fade_in_s", "fade_out_s"]} value={member} onChange={onEdit} />
        <Controls<Member> model="Member" names={["fade_in_shape", "fade_out_shape"]} value={member} onChange={onEdit} folded />
        <ControlOf control={start} value={member.start_s ?? null} shows={[0, whole]} onChange={(at, gesture) => onEdit({ start_s: at }, gesture)} />
        <ControlOf
          control={end && { ...end, begins: whole }}
          value={member.end_s ?? null}
          shows={[0, whole]}
          onChange={(at, gesture) => onEdit({ end_s: at }, gesture)}
        />
      </SimpleGrid>
      {(member.start_s != null || member.end_s != null) && (
        <Flex justify="flex-end">
          <Do quiet onClick={() => onEdit({ start_s: null, end_s: null })}>
            Whole sound
          </Do>
        </Flex>
      )}
      <GoingOn member={member} seconds={placed?.seconds} onBed={onBed} onRedraw={onRedraw} />
      <Role role={member.role} onChange={(role) => onEdit({ role })} />
      <Colour colour={member.colour} onChange={(colour) => onEdit({ colour })} />
      <Line />
      <Heading>Chain</Heading>
      <MixChain
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
          Remove {called}
        </Do>
      </Flex>
    </>
  );
}
