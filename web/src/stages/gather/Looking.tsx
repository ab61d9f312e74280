import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Opened, SoundFacts, SoundRow } from "../../api/client";
import { ExportLine } from "../../between/ExportLine";
import { fadeSo } from "../../between/edges";
import { exportFiles } from "../../between/export";
import { heardSo } from "../../between/heard";
import type { Axis } from "../../canvas/axis";
import { type Band, RULER } from "../../canvas/wave";
import { sounds } from "../../listening/channels";
import { openSoon, useMeasured } from "../../listening/opening";
import { player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { WaveView } from "../../timeline/WaveView";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { useRoom } from "../../ui/useRoom";
import { dragged } from "./dragging";
import { Excerpts, keepPart, useExcerpts, useMarking } from "./Excerpts";

const AXES: readonly (readonly [Axis, string])[] = [
  ["log", "log axis"],
  ["mel", "mel axis"],
  ["linear", "linear axis"],
];

interface Props {
  row: SoundRow;
  facts: SoundFacts | null;
  audition: (row: SoundRow, from?: number, part?: [number, number] | null) => Promise<void>;
  onAnchor: (seconds: number) => void;
}

/** Name, mute and solo of each channel, beside its lane. */
function Lanes({ names, height }: { names: string[]; height: number }) {
  const { muted, soloed } = useListening();
  const turn = (list: number[], lane: number) => (list.includes(lane) ? list.filter((one) => one !== lane) : [...list, lane]);
  const small = height / names.length < 17;
  const button = (lane: number, what: "mute" | "solo") => {
    const on = (what === "mute" ? muted : soloed).includes(lane);
    return (
      <Bare
        aria-pressed={on}
        aria-label={`${what} ${names[lane]}`}
        title={`${what === "mute" ? "Mute" : "Hear only"} ${names[lane]} (listening only)`}
        onClick={() => (what === "mute" ? player.setLanes(turn(muted, lane), soloed) : player.setLanes(muted, turn(soloed, lane)))}
        fontSize="9px"
        lineHeight="11px"
        px="3px"
        borderRadius="3px"
        cursor="pointer"
        bg={on ? (what === "mute" ? "coral" : "amber") : "raised"}
        color={on ? "onAmber" : "dim"}
      >
        {what}
      </Bare>
    );
  };
  return (
    <Flex direction="column" w="92px" flexShrink={0} pt="18px" h={`${height + 18}px`} role="group" aria-label="Channels">
      {names.map((name, lane) => (
        <Flex key={name} flex={1} align="center" gap="3px" px="5px" minH={0} overflow="hidden">
          <Box fontFamily="mono" fontSize={small ? "8px" : "10px"} w="26px" color={sounds(lane) ? "chalk" : "dim"}>
            {name}
          </Box>
          {button(lane, "mute")}
          {button(lane, "solo")}
        </Flex>
      ))}
    </Flex>
  );
}

/** Waveform over spectrogram of the selected sound. */
export function Looking({ row, facts, audition, onAnchor }: Props) {
  const library = useShared((state) => state.library);
  const { loop, heard, through, edges } = useListening();
  // a change of mutes and solos redraws the lanes
  useListening((state) => `${state.muted} ${state.soloed}`);
  const [axis, setAxis] = useState<Axis>(() => (localStorage.getItem("axis") as Axis | null) ?? "log");
  const key = ["opened", library, row.id, row.mended, row.layout, through?.chain];
  const body = { sound: row.id, chain: through?.chain ?? [] };
  const opened = useQuery({ queryKey: key, staleTime: Number.POSITIVE_INFINITY, queryFn: () => openSoon(library, body) });
  useMeasured<Opened>(key, opened.data, library, body, (_, fresh) => fresh);
  const excerpts = useExcerpts(row.id);
  const [area, room] = useRoom<HTMLDivElement>(198);
  const marking = useMarking((state) => (state.marking?.sound === row.id ? state.marking : null));
  if (!opened.data) return null;
  const { lanes, channels } = opened.data;
  const total = opened.data.frames / opened.data.rate;
  const here = heard?.opened.digest === opened.data.digest;
  const part = loop && here ? loop : null;
  // many channels need the room more than their spectrogram does
  const share = channels > 4 ? 0.76 : channels > 2 ? 0.64 : 0.53;
  const height = Math.round(Math.max(40, room - RULER) * share);
  const spectrum = Math.round(Math.max(40, room - RULER) * (1 - share));
  const bands: Band[] = (excerpts.data ?? []).map((one, i) => ({
    id: one.id,
    start: one.start_s,
    end: one.end_s,
    label: String(i + 1),
    chosen: false,
    dropped: false,
  }));
  if (marking) bands.push({ id: 0, start: marking.start, end: marking.end ?? total, label: "", chosen: true, dropped: false });
  return (
    <Flex direction="column" flex={1} minH={0}>
      <Flex flexShrink={0} align="center" gap="8px" px="8px" h="26px" fontSize="12px" bg="sheet" overflow="hidden">
        <Box color="dim" flex={1} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
          {part
            ? `Marked: ${part[0].toFixed(3)} to ${part[1].toFixed(3)} s`
            : "Click plays from there, drag or [ and ] mark a part, K keeps it as an excerpt, the wheel zooms to single samples"}
        </Box>
        {part && (
          <Do
            quiet
            hint="Write the marked part to the hand-over folder"
            act="handOver"
            onClick={() => void exportFiles({ ids: [row.id] }, "", null, heardSo(part))}
          >
            Part to hand-over
          </Do>
        )}
        {part && (
          <Do quiet act="keep" onClick={() => void keepPart(row)}>
            Keep as excerpt
          </Do>
        )}
        {part && <ExportLine what={() => ({ ids: [row.id] })} heard={() => heardSo(part)} title="Export part" />}
        <Box
          draggable
          onDragStart={(event) => dragged(event.dataTransfer, [row.id], part ? `${row.name} part` : row.name, part)}
          cursor="grab"
          border="1px dashed"
          borderColor="line"
          borderRadius="6px"
          px="7px"
          title="Drag this out of the window: it arrives as a file"
          whiteSpace="nowrap"
        >
          {part ? "part as file" : "drag out as file"}
        </Box>
        <Choose
          label="Frequency axis"
          value={axis}
          py="0px"
          options={AXES}
          onChange={(value) => {
            localStorage.setItem("axis", value);
            setAxis(value as Axis);
          }}
        />
      </Flex>
      <Flex ref={area} flex={1} minH={0} overflow="hidden">
        {channels > 1 && <Lanes names={lanes} height={height} />}
        <Box flex={1} minW={0}>
          <WaveView
            opened={opened.data}
            height={height}
            spectrum={spectrum}
            axis={axis}
            silent={here ? (lane) => !sounds(lane) : undefined}
            marked={part}
            onMark={(marked) => {
              if (!marked) return;
              if (here) player.setLoop(marked);
              else void audition(row, marked[0], marked);
            }}
            onPlayFrom={(from) => void audition(row, from, part && from >= part[0] && from <= part[1] ? part : null)}
            anchor={row.anchor_s}
            anchorKind={row.anchor_kind}
            markers={facts?.id === row.id ? facts.said.markers : undefined}
            onAnchor={onAnchor}
            faded={part ?? [0, total]}
            fade={edges.fade}
            onFade={here ? fadeSo : undefined}
            bands={bands.length ? bands : undefined}
            label={`Waveform and spectrogram of ${row.name}`}
          />
        </Box>
      </Flex>
      <Excerpts row={row} onHear={(one) => void audition(row, one.start_s, [one.start_s, one.end_s])} />
    </Flex>
  );
}
