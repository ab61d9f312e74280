/** Placements under the film, by group, each on its frame: cues, shot changes and places above them, lanes arranged by themselves. */
import { Box, Flex } from "@chakra-ui/react";
import { type ReactNode, useMemo, useRef } from "react";
import type { Group, Member, Opened, Schemas } from "../../api/client";
import type { Aim, Layout, Placed } from "../../bench/aims";
import { type LayerActs, LayerClip } from "../../bench/LayerClip";
import { tones } from "../../bench/tones";
import { lanes } from "../../mix/lanes";
import { useMagnitudes } from "../../timeline/heights";
import { LaneArea, RULER } from "../../timeline/LaneArea";
import { type Scale, useScale } from "../../timeline/useScale";
import { Do } from "../../ui/buttons";
import { ControlOf, useControl } from "../../ui/controls";
import { useRoom } from "../../ui/useRoom";
import { BalanceRanges } from "./BalanceStrip";
import { type Cue, type Film, momentOf, type Scene } from "./frames";
import { CueMarks, PLACES, Places, SceneRuler } from "./Marks";

const HEAD = "150px";
const [LOWEST, HIGHEST] = [30, 76];
const STRIP = 84;

export interface Row {
  group: Group | null;
  name: string;
  members: Member[];
  lane: number[];
  count: number;
}

/** Groups with their placements, each on a lane that is free. */
export function rowsOf(scene: Scene, byId: Map<string, Placed>): Row[] {
  const members = scene.mix?.members ?? [];
  const groups = scene.mix?.groups ?? [];
  const span = (one: Member): [number, number] => {
    const placed = byId.get(one.id ?? "");
    const start = placed ? one.at_s - placed.anchor_s : one.at_s;
    return [start, start + (placed?.seconds ?? 0.2)];
  };
  const row = (group: Group | null, own: Member[], name: string): Row => {
    const lane = lanes(own.map(span));
    return { group, name, members: own, lane, count: Math.max(1, ...lane.map((one) => one + 1)) };
  };
  const loose = members.filter((one) => !groups.some((group) => group.id === one.group));
  return [
    ...groups.map((group) => row(group as Group, members.filter((one) => one.group === group.id) as Member[], group.name || "Group")),
    ...(loose.length ? [row(null, loose as Member[], "Other sounds")] : []),
  ];
}

interface Props {
  scene: Scene;
  film: Film;
  layout: Layout | null;
  opened: Opened | null;
  /** Placements whose sound has changed since. */
  newer: Schemas["NewerLayer"][];
  chosen: string[];
  chosenCue: string | null;
  solo: string[];
  aim: Aim | null;
  pen: boolean;
  clipActs: LayerActs;
  onChooseGroup: (id: string) => void;
  onEditGroup: (id: string, values: Partial<Group>, gesture?: string) => void;
  onSolo: (ids: string[]) => void;
  onCue: (cue: Cue) => void;
  onFrame: (frame: number) => void;
  onPlace: (id: string) => void;
  chosenPlace: string | null;
  /** The strip of the balance pass, on the same scale. */
  strip: ((scale: Scale) => ReactNode) | null;
}

function Head({
  row,
  height,
  chosen,
  solo,
  onChoose,
  onEdit,
  onSolo,
}: {
  row: Row;
  height: number;
  chosen: boolean;
  solo: boolean;
  onChoose: () => void;
  onEdit: (values: Partial<Group>, gesture?: string) => void;
  onSolo: () => void;
}) {
  const gain = useControl("Group", "gain_db");
  const { group } = row;
  return (
    <Box
      h={`${height}px`}
      role="group"
      aria-label={row.name}
      px="10px"
      py="3px"
      borderBottom="1px solid"
      borderBottomColor="line"
      borderLeft="3px solid"
      borderLeftColor={chosen ? "amber" : tones("", group?.colour ?? "")[0]}
      bg={chosen ? "raised" : undefined}
      overflow="hidden"
      onPointerDown={(event) => !(event.target as HTMLElement).closest("button, [data-scope=slider], input") && onChoose()}
    >
      <Box fontWeight={600} fontSize="12px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={row.name}>
        {row.name}
      </Box>
      {group && height > 44 && (
        <Flex fontSize="11px" ml="-6px">
          <Do quiet on={group.mute} onClick={() => onEdit({ mute: !group.mute })} hint="Mute the group">
            mute
          </Do>
          <Do quiet on={solo} onClick={onSolo} hint="Solo, for listening only">
            solo
          </Do>
        </Flex>
      )}
      {group && height > 78 && <ControlOf control={gain} value={group.gain_db ?? 0} onChange={(gain_db, gesture) => onEdit({ gain_db }, gesture)} />}
    </Box>
  );
}

export function SceneLanes(props: Props) {
  const { scene, film, layout, opened, newer, chosen, chosenCue, solo, aim, pen, clipActs, strip } = props;
  const area = useRef<HTMLDivElement>(null);
  const [outer, room] = useRoom<HTMLDivElement>(300);
  const byId = useMemo(() => new Map<string, Placed>((layout?.layers ?? []).map((one) => [one.id, one])), [layout]);
  const changed = useMemo(() => new Map(newer.map((one) => [one.id, one.gone ? "gone" : "newer"])), [newer]);
  const rows = useMemo(() => rowsOf(scene, byId), [scene, byId]);
  const total = rows.reduce((sum, row) => sum + row.count, 0);
  const lane = Math.round(Math.min(HIGHEST, Math.max(LOWEST, (room - RULER - PLACES - (strip ? STRIP : 0)) / Math.max(1, total))));
  const length = momentOf(scene.frames, scene);
  const scale = useScale(area, [0, length]);
  const gains = (scene.mix?.members ?? []).map((one) => [byId.get(one.id ?? "")?.digest ?? "", 10 ** ((one.gain_db ?? 0) / 20)] as const);
  const beside = useMagnitudes((known) => Math.max(0, ...gains.map(([digest, gain]) => (known[digest] ?? 0) * gain)));
  // what is out of sight is not drawn: a scene of hundreds scrolls and zooms like one of five
  const inSight = (one: Member) => {
    const placed = byId.get(one.id ?? "");
    const start = one.at_s - (placed?.anchor_s ?? 0);
    return start < scale.shown[1] && start + (placed?.seconds ?? 0) > scale.shown[0];
  };
  return (
    <Box ref={outer} flex={1} overflowY="auto" position="relative" minH={0} role="region" aria-label="Lanes" tabIndex={0}>
      <Flex position="relative" minH="100%" data-lanes>
        <Box w={HEAD} flexShrink={0} bg="sheet" borderRight="1px solid" borderColor="line">
          <Flex h={`${RULER + PLACES}px`} align="center" px="10px" color="dim" fontSize="12px" borderBottom="1px solid" borderColor="line">
            {scene.mix?.members?.length ?? 0} placed
          </Flex>
          {rows.map((row) => (
            <Head
              key={row.group?.id ?? ""}
              row={row}
              height={lane * row.count}
              chosen={!!row.group && chosen.includes(row.group.id)}
              solo={row.members.length > 0 && row.members.every((one) => solo.includes(one.id ?? ""))}
              onChoose={() => row.group && props.onChooseGroup(row.group.id)}
              onEdit={(values, gesture) => row.group && props.onEditGroup(row.group.id, values, gesture)}
              onSolo={() => props.onSolo(row.members.map((one) => one.id ?? ""))}
            />
          ))}
          {strip && (
            <Box h={`${STRIP}px`} px="10px" py="4px" borderBottom="1px solid" borderColor="line" overflow="hidden">
              <Flex fontWeight={600} fontSize="12px" align="center" justify="space-between" whiteSpace="nowrap">
                Balance pass
                <BalanceRanges />
              </Flex>
              <Box color="dim" fontSize="11px" lineHeight="15px">
                up, down: gain
                <br />
                left, right: pan
                <br />
                Tab: next
              </Box>
            </Box>
          )}
        </Box>
        <LaneArea
          area={area}
          scale={scale}
          heard={opened}
          zero="First frame"
          ruler={<SceneRuler scene={scene} film={film} scale={scale} onFrame={props.onFrame} />}
        >
          <Places scene={scene} scale={scale} chosen={props.chosenPlace} onPlace={props.onPlace} />
          <CueMarks scene={scene} scale={scale} chosen={chosenCue} onCue={props.onCue} />
          {film.shots.map((frame) => (
            <Box
              key={frame}
              position="absolute"
              top={`${RULER}px`}
              bottom={0}
              left={`${scale.toX(momentOf(frame, scene))}px`}
              borderLeft="1px dotted"
              borderColor="line"
              pointerEvents="none"
            />
          ))}
          {rows.map((row) => (
            <Box key={row.group?.id ?? ""} h={`${lane * row.count}px`} position="relative" borderBottom="1px solid" borderColor="line">
              {scale.width > 0 &&
                row.members.map((member, i) => {
                  const placed = byId.get(member.id ?? "");
                  if (!placed || !inSight(member)) return null;
                  return (
                    <Box
                      key={member.id}
                      position="absolute"
                      left={0}
                      right={0}
                      top={`${row.lane[i] * lane}px`}
                      h={`${lane}px`}
                      pointerEvents="none"
                      css={{ "& > *": { pointerEvents: "auto" } }}
                    >
                      <LayerClip
                        member={member}
                        placed={placed}
                        scale={scale.perSecond}
                        from={scale.shown[0]}
                        height={lane - 10}
                        beside={beside}
                        chosen={chosen.includes(member.id ?? "")}
                        faded={!!member.mute || !!row.group?.mute || (solo.length > 0 && !solo.includes(member.id ?? ""))}
                        colour={row.group?.colour ?? ""}
                        aim={chosen[chosen.length - 1] === member.id ? aim : null}
                        pen={pen}
                        since="from the first frame"
                        told={changed.get(member.id ?? "") ?? ""}
                        acts={clipActs}
                      />
                    </Box>
                  );
                })}
            </Box>
          ))}
          {strip && (
            <Box h={`${STRIP}px`} position="relative" borderBottom="1px solid" borderColor="line">
              {scale.width > 0 && strip(scale)}
            </Box>
          )}
        </LaneArea>
      </Flex>
    </Box>
  );
}
