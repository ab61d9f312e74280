/** The heads of layers and groups, left of their lanes. */

import { Box, Flex } from "@chakra-ui/react";
import { memo, type PointerEvent, useRef } from "react";
import type { Group, Member } from "../../api/client";
import { tones } from "../../bench/tones";
import { Bare, Do } from "../../ui/buttons";
import { ControlOf, useControl } from "../../ui/controls";

export interface HeadActs {
  choose: (id: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void;
  edit: (id: string, values: Partial<Member>, gesture?: string) => void;
  editGroup: (id: string, values: Partial<Group>, gesture?: string) => void;
  solo: (id: string) => void;
  /** Dropped after a drag by so many pixels. */
  dropped: (id: string, dy: number, height: number) => void;
}

function said(pan: number): string {
  return pan === 0 ? "centre" : `${Math.round(Math.abs(pan) * 100)} ${pan < 0 ? "L" : "R"}`;
}

function Chip({ children, tone }: { children: string; tone?: string }) {
  return (
    <Box fontFamily="mono" fontSize="10px" bg="ground" color={tone ?? "dim"} borderRadius="4px" px="4px" lineHeight="15px" whiteSpace="nowrap">
      {children}
    </Box>
  );
}

/** How much of the sum a layer is: a bar on a scale of levels, so that a quiet layer is still seen. */
function Share({ share }: { share: number | undefined }) {
  const width = share ? Math.max(2, 100 + (10 * Math.log10(share)) / 0.36) : 0;
  return (
    <Box
      h="3px"
      bg="ground"
      borderRadius="2px"
      overflow="hidden"
      title={share === undefined ? undefined : `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} % of the sum's energy`}
      data-share={share?.toFixed(4)}
    >
      <Box h="3px" w={`${Math.min(100, Math.max(0, width))}%`} bg="glassDeep" />
    </Box>
  );
}

interface LayerProps {
  member: Member;
  height: number;
  chosen: boolean;
  solo: boolean;
  grouped: boolean;
  colour: string;
  share: number | undefined;
  newer: "" | "newer" | "gone";
  stale: boolean;
  /** Which file it lacks; it is passed over then. */
  missing: string;
  acts: HeadActs;
}

export const LayerHead = memo(function LayerHead({ member, height, chosen, solo, grouped, colour, share, newer, stale, missing, acts }: LayerProps) {
  const gain = useControl("Member", "gain_db");
  const grip = useRef<number | null>(null);
  const low = height < 70;
  const steps = member.chain.filter((one) => one.on).length;
  return (
    <Box
      data-layer={member.id}
      role="group"
      aria-label={member.name}
      h={`${height}px`}
      pl={grouped ? "18px" : "10px"}
      pr="10px"
      py={low ? "2px" : "5px"}
      borderBottom="1px solid"
      borderBottomColor="line"
      borderLeft="3px solid"
      borderLeftColor={tones(member.role, member.colour || colour)[0]}
      bg={chosen ? "raised" : undefined}
      overflow="hidden"
      onPointerDown={(event: PointerEvent) => !(event.target as HTMLElement).closest("button, [data-scope=slider]") && acts.choose(member.id, event)}
    >
      <Flex justify="space-between" align="center" gap="4px">
        <Box
          w="9px"
          color="dim"
          cursor="ns-resize"
          fontSize="10px"
          title="Drag to reorder"
          aria-hidden
          touchAction="none"
          onPointerDown={(event: PointerEvent<HTMLElement>) => {
            event.stopPropagation();
            event.currentTarget.setPointerCapture(event.pointerId);
            grip.current = event.clientY;
          }}
          onPointerUp={(event: PointerEvent) => {
            if (grip.current !== null && Math.abs(event.clientY - grip.current) > 6) acts.dropped(member.id, event.clientY - grip.current, height);
            grip.current = null;
          }}
        >
          ::
        </Box>
        <Box flex={1} fontWeight={550} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={member.name}>
          {member.name}
        </Box>
        <Flex fontSize="11px">
          <Do quiet on={member.mute} hint="Mute (M)" onClick={() => acts.edit(member.id, { mute: !member.mute })}>
            mute
          </Do>
          <Do quiet on={solo} hint="Solo, for listening only (O)" onClick={() => acts.solo(member.id)}>
            solo
          </Do>
        </Flex>
      </Flex>
      {!low && (
        <Flex gap="4px" overflow="hidden" minH="16px">
          {member.pitch_st !== 0 && <Chip>{`${member.pitch_st > 0 ? "+" : ""}${Number(member.pitch_st.toFixed(2))} st`}</Chip>}
          {steps > 0 && <Chip>{steps === 1 ? "1 step" : `${steps} steps`}</Chip>}
          {member.envelopes.some((one) => one.on && one.points.length > 0) && <Chip>curves</Chip>}
          {missing && (
            <Box as="span" title={`${missing} The layer is passed over, the rest sounds.`} role="note" aria-label={`${member.name}: file missing`}>
              <Chip tone="coral">file missing</Chip>
            </Box>
          )}
          {member.frozen && <Chip tone={stale ? "coral" : undefined}>{stale ? "frozen, stale" : "frozen"}</Chip>}
          {member.locked && <Chip>locked</Chip>}
          {newer && <Chip tone={newer === "gone" ? "coral" : "amber"}>{newer === "gone" ? "source gone" : "newer exists"}</Chip>}
          <Box flex={1} />
          <Chip>{said(member.pan)}</Chip>
        </Flex>
      )}
      <ControlOf
        control={gain}
        label={low ? said(member.pan) : undefined}
        value={member.gain_db}
        onChange={(gain_db, gesture) => !member.locked && acts.edit(member.id, { gain_db: gain_db }, gesture)}
      />
      {!low && <Share share={share} />}
    </Box>
  );
});

interface GroupProps {
  group: Group;
  count: number;
  height: number;
  chosen: boolean;
  share: number | undefined;
  acts: HeadActs;
}

export const GroupHead = memo(function GroupHead({ group, count, height, chosen, share, acts }: GroupProps) {
  return (
    <Flex
      data-group={group.id}
      role="group"
      aria-label={`Group ${group.name}`}
      h={`${height}px`}
      align="center"
      gap="6px"
      px="10px"
      borderBottom="1px solid"
      borderBottomColor="line"
      borderLeft="3px solid"
      borderLeftColor={group.colour || "faint"}
      bg={chosen ? "raised" : "ground"}
    >
      <Bare
        flex={1}
        textAlign="left"
        minW={0}
        cursor="pointer"
        onClick={(event) => {
          acts.choose(group.id, event);
        }}
      >
        <Box fontWeight={600} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
          {group.name}
        </Box>
        <Box color="dim" fontSize="11px" fontFamily="mono" letterSpacing="-0.3px" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis">
          {count} {count === 1 ? "layer" : "layers"}, {group.gain_db.toFixed(1)} dB{share === undefined ? "" : `, ${(100 * share).toFixed(0)} %`}
          {group.frozen ? ", frozen" : ""}
        </Box>
      </Bare>
      <Box fontSize="11px">
        <Do quiet on={group.mute} hint="Mute the group" onClick={() => acts.editGroup(group.id, { mute: !group.mute })}>
          mute
        </Do>
      </Box>
    </Flex>
  );
});
