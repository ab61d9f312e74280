/** The layers on the strike line: the sum on top, groups and layers below, each on a lane of its own. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { Fragment, type PointerEvent, useEffect, useRef, useState } from "react";
import type { Mix, Opened, Schemas } from "../../api/client";
import { rulerStep } from "../../canvas/paint";
import { live, player, useListening } from "../../listening/player";
import { Do } from "../../ui/buttons";
import { Clip, type ClipActs, usePicture, Wave } from "./Clip";
import { CrowdStrip, STRIP } from "./Crowding";
import type { Aim, Layout } from "./design";
import { GroupHead, type HeadActs, LayerHead } from "./Heads";

const HEAD = "214px";
const SUM = 64;
const RULER = 24;
export const GROUP = 40;

/** Lanes grow lower as there are more of them. */
export function laneHeight(count: number): number {
  return count <= 6 ? 84 : count <= 9 ? 74 : 48;
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
  clipActs: ClipActs;
  headActs: HeadActs;
  onSum: () => void;
  onAdd: () => void;
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
  const [width, setWidth] = useState(0);
  const [view, setView] = useState<[number, number] | null>(null);
  const playhead = useRef<HTMLDivElement>(null);
  const loop = useListening((state) => state.loop);
  const lane = laneHeight(mix.members.length);
  const starts = layout?.layers.map((one) => one.start_s) ?? [0];
  const ends = layout?.layers.map((one) => one.start_s + one.seconds) ?? [1];
  const low = Math.min(-0.2, ...starts, layout?.start_s ?? 0);
  const high = Math.max(0.4, ...ends, (layout?.start_s ?? 0) + (layout?.seconds ?? 1));
  const margin = (high - low) * 0.03;
  const shown: [number, number] = view ?? [low - margin, high + margin];
  const scale = width / (shown[1] - shown[0]);
  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const toX = (s: number) => (s - shown[0]) * scale;
  const sumStart = sumOpened ? -sumOpened.zero / sumOpened.rate : 0;
  const sumLength = sumOpened ? sumOpened.frames / sumOpened.rate : 0;
  const sum = usePicture(
    sumOpened?.key,
    sumOpened?.frames ?? 0,
    sumOpened?.channels ?? 2,
    Math.min(1600, Math.max(16, Math.round(sumLength * scale))),
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: the playhead follows the view
  useEffect(() => {
    const place = () => {
      const heard = useListening.getState().heard;
      if (!playhead.current || !heard) return;
      const mine = heard.opened.key === sumOpened?.key;
      playhead.current.style.display = mine ? "block" : "none";
      playhead.current.style.transform = `translateX(${toX((live.position - heard.opened.zero) / heard.opened.rate)}px)`;
    };
    place();
    return player.onTick(place);
  }, [sumOpened, scale, shown[0]]);
  const wheel = useRef<(event: WheelEvent) => void>(() => {});
  wheel.current = (event) => {
    if (!event.ctrlKey && !event.shiftKey && !event.altKey) return;
    event.preventDefault();
    const box = area.current?.getBoundingClientRect();
    if (!box) return;
    const centre = shown[0] + (event.clientX - box.left) / scale;
    if (event.shiftKey) {
      const by = ((event.deltaY || event.deltaX) / width) * (shown[1] - shown[0]);
      setView([shown[0] + by, shown[1] + by]);
    } else {
      const factor = 1.002 ** event.deltaY;
      setView([centre - (centre - shown[0]) * factor, centre + (shown[1] - centre) * factor]);
    }
  };
  useEffect(() => {
    const element = area.current;
    const handle = (event: WheelEvent) => wheel.current(event);
    element?.addEventListener("wheel", handle, { passive: false });
    return () => element?.removeEventListener("wheel", handle);
  }, []);
  const [marking, setMarking] = useState<number | null>(null);
  const secondsAt = (event: PointerEvent) => shown[0] + (event.clientX - (area.current?.getBoundingClientRect().left ?? 0)) / scale;
  const step = rulerStep(shown[1] - shown[0], Math.max(1, width));
  const ticks: number[] = [];
  for (let t = Math.ceil(shown[0] / step) * step; t <= shown[1]; t += step) ticks.push(Number(t.toFixed(6)));
  const groupOf = (id: string) => mix.groups.find((one) => one.id === id);
  const opens = (i: number) => {
    const group = groupOf(mix.members[i].group);
    return group && mix.members[i - 1]?.group !== group.id ? group : null;
  };
  const share = (id: string) => facts?.shares.find((one) => one.id === id)?.share;
  return (
    <Box flex={1} overflowY="auto" position="relative" minH={0}>
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
          <chakra.button
            type="button"
            display="block"
            w="100%"
            textAlign="left"
            h={`${SUM}px`}
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
          </chakra.button>
          {mix.members.map((member, i) => {
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
        <Box
          ref={area}
          flex={1}
          position="relative"
          overflow="hidden"
          onDoubleClick={() => setView(null)}
          onPointerDown={(event) => {
            if (event.button || (event.target as HTMLElement).closest("[data-clip]")) return;
            event.currentTarget.setPointerCapture(event.pointerId);
            setMarking(secondsAt(event));
          }}
          onPointerMove={(event) => {
            if (marking === null || !sumOpened) return;
            const at = secondsAt(event);
            if (Math.abs(at - marking) * scale < 4) return;
            const [a, b] = at < marking ? [at, marking] : [marking, at];
            player.setLoop([Math.max(0, a - sumStart), Math.min(sumLength, b - sumStart)]);
          }}
          onPointerUp={(event) => {
            if (marking !== null && Math.abs(secondsAt(event) - marking) * scale < 4) {
              const heard = useListening.getState().heard;
              if (heard && heard.opened.key === sumOpened?.key)
                void player.play(
                  heard,
                  Math.max(0, marking - sumStart),
                  loop && marking - sumStart >= loop[0] && marking - sumStart <= loop[1] ? loop : null,
                );
            }
            setMarking(null);
          }}
        >
          <Box h={`${RULER}px`} borderBottom="1px solid" borderColor="line" position="relative" fontFamily="mono" fontSize="10px" color="dim">
            {ticks.map((t) => (
              <Box
                key={t}
                position="absolute"
                left={`${toX(t)}px`}
                top={0}
                bottom={0}
                borderLeft="1px solid"
                borderColor="line"
                pl="4px"
                whiteSpace="nowrap"
              >
                {t > 0 ? "+" : ""}
                {t.toFixed(step < 0.1 ? 2 : 1)}
              </Box>
            ))}
          </Box>
          {loop && sumOpened && (
            <Box
              position="absolute"
              top={`${RULER}px`}
              bottom={0}
              left={`${toX(loop[0] + sumStart)}px`}
              w={`${(loop[1] - loop[0]) * scale}px`}
              bg="amberSoft"
            />
          )}
          <Box h={`${SUM}px`} borderBottom="1px solid" borderColor="line" position="relative">
            {sumOpened && (
              <Box position="absolute" top="4px" bottom="4px" left={`${toX(sumStart)}px`} w={`${sumLength * scale}px`}>
                <Wave data={sum.data} clear="chalk" deep="faint" gain={1} />
              </Box>
            )}
          </Box>
          {mix.members.map((member, i) => {
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
                    <Clip
                      member={member}
                      placed={placed}
                      scale={scale}
                      from={shown[0]}
                      height={lane - (crowding ? STRIP + 9 : 12)}
                      chosen={chosen.includes(member.id)}
                      faded={member.mute || !!own?.mute || (solo.length > 0 && !solo.includes(member.id))}
                      colour={own?.colour ?? ""}
                      aim={chosen[chosen.length - 1] === member.id ? aim : null}
                      pen={pen}
                      acts={clipActs}
                    />
                  )}
                  {crowding && width > 0 && <CrowdStrip id={member.id} name={member.name} crowding={crowding} toX={toX} scale={scale} />}
                </Box>
              </Fragment>
            );
          })}
          <Box
            position="absolute"
            top={`${RULER - 8}px`}
            bottom={0}
            left={`${toX(0) - 1}px`}
            w="2px"
            bg="amber"
            pointerEvents="none"
            title="Strike line"
          />
          <Box ref={playhead} position="absolute" top={`${RULER}px`} bottom={0} left={0} w="1.5px" bg="chalk" pointerEvents="none" display="none" />
        </Box>
      </Flex>
    </Box>
  );
}
