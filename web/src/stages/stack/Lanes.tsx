/** The layers on the strike line: the sum on top, groups and layers below, each on a lane of its own. */
import { Box, Flex } from "@chakra-ui/react";
import { Fragment, useEffect, useRef, useState } from "react";
import type { Mix, Opened, Schemas } from "../../api/client";
import type { Aim, Layout } from "../../bench/aims";
import { type LayerActs, LayerClip } from "../../bench/LayerClip";
import { useMagnitudes } from "../../timeline/heights";
import { LaneArea, RULER } from "../../timeline/LaneArea";
import { useScale } from "../../timeline/useScale";
import { usePicture, Wave } from "../../timeline/Wave";
import { Bare, Do } from "../../ui/buttons";
import { useRoom } from "../../ui/useRoom";
import { CrowdStrip, STRIP } from "./Crowding";
import { GroupHead, type HeadActs, LayerHead } from "./Heads";

const HEAD = "214px";
export const GROUP = 40;
/** The least and the most a lane is high (px), and how much higher the sum is. */
const [LOWEST, HIGHEST, SUM_OF] = [48, 150, 1.2];

/** Lanes share the height there is; the sum is the tallest. */
function heights(room: number, layers: number, groups: number): { lane: number; sum: number } {
  const lane = Math.round(Math.min(HIGHEST, Math.max(LOWEST, (room - RULER - groups * GROUP) / (layers + SUM_OF))));
  return { lane, sum: Math.max(84, Math.round(lane * SUM_OF)) };
}

/** Lanes that are drawn at once, and how many follow with every frame: a design of forty is seen and heard before the last of them is there. */
const [AT_ONCE, A_FRAME] = [12, 6];

function useGrowing(total: number): number {
  const [drawn, setDrawn] = useState(AT_ONCE);
  useEffect(() => {
    if (drawn >= total) return;
    const next = requestAnimationFrame(() => setDrawn(drawn + A_FRAME));
    return () => cancelAnimationFrame(next);
  }, [drawn, total]);
  return Math.min(drawn, total);
}

interface Props {
  mix: Mix;
  layout: Layout | null;
  facts: Schemas["SumFacts"] | null | undefined;
  newer: Schemas["NewerLayer"][];
  /** Which layers crowd each other, while that is shown. */
  crowding: Schemas["Crowding"] | null;
  crowded: boolean;
  onCrowded: () => void;
  sumOpened: Opened | null;
  chosen: string[];
  solo: string[];
  aim: Aim | null;
  pen: boolean;
  clipActs: LayerActs;
  headActs: HeadActs;
  onSum: () => void;
  onAdd: () => void;
}

/** The stretch of time that holds all layers and the sum. */
function reach(layout: Layout | null): [number, number] {
  const placed = layout?.layers ?? [];
  const start = layout?.start_s ?? 0;
  return [
    Math.min(-0.2, start, ...placed.map((one) => one.start_s)),
    Math.max(0.4, start + (layout?.seconds ?? 1), ...placed.map((one) => one.start_s + one.seconds)),
  ];
}

export function Lanes({
  mix,
  layout,
  facts,
  newer,
  crowding,
  crowded,
  onCrowded,
  sumOpened,
  chosen,
  solo,
  aim,
  pen,
  clipActs,
  headActs,
  onSum,
  onAdd,
}: Props) {
  const area = useRef<HTMLDivElement>(null);
  const drawn = useGrowing(mix.members.length);
  const [outer, room] = useRoom<HTMLDivElement>(500);
  const { lane, sum: sumHeight } = heights(room, mix.members.length, mix.groups.length);
  const gains = mix.members.map((one) => [layout?.layers.find((other) => other.id === one.id)?.digest ?? "", 10 ** (one.gain_db / 20)] as const);
  const beside = useMagnitudes((known) => Math.max(0, ...gains.map(([digest, gain]) => (known[digest] ?? 0) * gain)));
  const sumMost = useMagnitudes((known) => known[sumOpened?.digest ?? ""] ?? 0);
  const scale = useScale(area, reach(layout));
  const { toX, perSecond, width } = scale;
  const sumStart = sumOpened ? -sumOpened.zero / sumOpened.rate : 0;
  const sumLength = sumOpened ? sumOpened.frames / sumOpened.rate : 0;
  const across = Math.min(1600, Math.max(16, Math.round(sumLength * perSecond)));
  const sum = usePicture(sumOpened?.digest, sumOpened?.frames ?? 0, sumOpened?.channels ?? 2, across);
  const groupOf = (id: string) => mix.groups.find((one) => one.id === id);
  const opens = (i: number) => {
    const group = groupOf(mix.members[i].group);
    return group && mix.members[i - 1]?.group !== group.id ? group : null;
  };
  const share = (id: string) => facts?.shares.find((one) => one.id === id)?.share;
  return (
    <Box ref={outer} flex={1} overflowY="auto" position="relative" minH={0}>
      <Flex position="relative" minH="100%" data-lanes>
        <Box w={HEAD} flexShrink={0} bg="sheet" borderRight="1px solid" borderColor="line">
          <Flex h={`${RULER}px`} align="center" justify="space-between" px="10px" color="dim" borderBottom="1px solid" borderColor="line">
            <Box
              whiteSpace="nowrap"
              title={mix.groups.length > 0 ? `${mix.groups.length} ${mix.groups.length === 1 ? "group" : "groups"}` : undefined}
            >
              {mix.members.length} {mix.members.length === 1 ? "layer" : "layers"}
            </Box>
            <Flex>
              <Do quiet on={crowded} onClick={onCrowded} hint="A strip under every layer: coral where the others together are louder than it">
                crowding
              </Do>
              <Do quiet onClick={onAdd}>
                + add
              </Do>
            </Flex>
          </Flex>
          <Bare
            display="block"
            w="100%"
            textAlign="left"
            h={`${sumHeight}px`}
            px="12px"
            borderBottom="1px solid"
            borderLeft="3px solid"
            borderLeftColor={chosen.length === 0 ? "amber" : "chalk"}
            borderBottomColor="line"
            bg={chosen.length === 0 ? "raised" : undefined}
            cursor="pointer"
            onClick={() => onSum()}
          >
            <Box fontWeight={600}>Sum</Box>
            <Box color="dim" fontSize="12px">
              {mix.chain.filter((one) => one.on).length} {mix.chain.filter((one) => one.on).length === 1 ? "step" : "steps"} on it
            </Box>
          </Bare>
          {mix.members.slice(0, drawn).map((member, i) => {
            const group = opens(i);
            const own = groupOf(member.group);
            const told = newer.find((one) => one.id === member.id);
            return (
              <Fragment key={member.id}>
                {group && (
                  <GroupHead
                    group={group}
                    count={mix.members.filter((one) => one.group === group.id).length}
                    height={GROUP}
                    chosen={chosen.includes(group.id)}
                    share={share(group.id)}
                    acts={headActs}
                  />
                )}
                <LayerHead
                  member={member}
                  height={lane}
                  chosen={chosen.includes(member.id)}
                  solo={solo.includes(member.id)}
                  grouped={!!own}
                  colour={own?.colour ?? ""}
                  share={share(member.id)}
                  newer={told ? (told.gone ? "gone" : "newer") : ""}
                  stale={layout?.layers.find((one) => one.id === member.id)?.stale ?? false}
                  missing={layout?.layers.find((one) => one.id === member.id)?.missing ?? ""}
                  acts={headActs}
                />
              </Fragment>
            );
          })}
        </Box>
        <LaneArea area={area} scale={scale} heard={sumOpened} zero="Strike line">
          <Box h={`${sumHeight}px`} borderBottom="1px solid" borderColor="line" position="relative">
            {sumOpened && (
              <Box position="absolute" top="4px" bottom="4px" left={`${toX(sumStart)}px`} w={`${sumLength * perSecond}px`}>
                <Wave data={sum.data} width={sumLength * perSecond} height={sumHeight - 8} clear="chalk" deep="faint" gain={1} beside={sumMost} />
              </Box>
            )}
          </Box>
          {mix.members.slice(0, drawn).map((member, i) => {
            const placed = layout?.layers.find((one) => one.id === member.id);
            const own = groupOf(member.group);
            return (
              <Fragment key={member.id}>
                {opens(i) && <Box h={`${GROUP}px`} borderBottom="1px solid" borderColor="line" bg="ground" />}
                <Box
                  h={`${lane}px`}
                  borderBottom="1px solid"
                  borderColor="line"
                  position="relative"
                  bg={chosen.includes(member.id) ? "sheet/50" : undefined}
                >
                  {placed && width > 0 && (
                    <LayerClip
                      member={member}
                      placed={placed}
                      scale={perSecond}
                      from={scale.shown[0]}
                      height={lane - (crowding ? STRIP + 9 : 12)}
                      beside={beside}
                      chosen={chosen.includes(member.id)}
                      faded={member.mute || !!own?.mute || (solo.length > 0 && !solo.includes(member.id))}
                      colour={own?.colour ?? ""}
                      aim={chosen[chosen.length - 1] === member.id ? aim : null}
                      pen={pen}
                      acts={clipActs}
                    />
                  )}
                  {crowding && width > 0 && <CrowdStrip id={member.id} name={member.name} crowding={crowding} toX={toX} scale={perSecond} />}
                </Box>
              </Fragment>
            );
          })}
        </LaneArea>
      </Flex>
    </Box>
  );
}
