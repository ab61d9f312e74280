/** The layers on the strike line: the sum on top, one lane a layer, dragged in time. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { bytes, type Member, type Mix, type Opened, type Schemas } from "../../api/client";
import { Do, Num } from "../../app/parts";
import { type Ink, ink } from "../../app/theme";
import { fitted, type PeakData, rulerStep, waveform } from "../../canvas/paint";
import { live, player, useListening } from "../../listening/player";

type Layout = Schemas["Layout"];
type Placed = Schemas["Placed"];

const HEAD = "214px";
const LANE = 84;
const SUM = 72;
const RULER = 24;

function usePicture(key: string | undefined, frames: number, channels: number, width: number) {
  return useQuery({
    queryKey: ["peaks", key, 0, frames, width],
    enabled: !!key && width > 8,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async ({ signal }): Promise<PeakData> => {
      const values = new Int16Array(await bytes(`/api/heard/${key}/peaks?start=0&end=${frames}&width=${width}`, signal));
      return { width: values.length / channels / 3, channels, values };
    },
  });
}

function Wave({ data, clear, deep, gain }: { data: PeakData | undefined; clear: keyof Ink; deep: keyof Ink; gain: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const draw = () => {
      const pen = fitted(element);
      const colours = ink();
      if (!pen || !data) return;
      const one: PeakData = { ...data };
      waveform(pen, one, 0, 0, element.clientWidth, element.clientHeight, colours[clear], colours[deep], gain);
    };
    draw();
    const watch = new ResizeObserver(draw);
    watch.observe(element);
    return () => watch.disconnect();
  }, [data, clear, deep, gain]);
  return <chakra.canvas ref={canvas} position="absolute" inset={0} w="100%" h="100%" aria-hidden />;
}

interface Props {
  mix: Mix;
  layout: Layout | null;
  sumOpened: Opened | null;
  chosen: string | null;
  solo: string[];
  onChoose: (id: string | null) => void;
  onEdit: (id: string, values: Partial<Member>, gesture?: string) => void;
  onSolo: (id: string) => void;
  onAdd: () => void;
}

const TONES: [keyof Ink, keyof Ink][] = [
  ["glass", "glassDeep"],
  ["plum", "plumDeep"],
  ["sky", "skyDeep"],
];
/** Layers that hit share the first colour, those that carry tone the second, the rest the third. */
export function tones(role: string): [keyof Ink, keyof Ink] {
  return role === "tone" || role === "tail" ? TONES[1] : role === "air" ? TONES[2] : TONES[0];
}

function Clip({
  member,
  placed,
  view,
  width,
  chosen,
  faded,
  onChoose,
  onEdit,
}: {
  member: Member;
  placed: Placed;
  view: [number, number];
  width: number;
  chosen: boolean;
  faded: boolean;
  onChoose: () => void;
  onEdit: Props["onEdit"];
}) {
  const scale = width / (view[1] - view[0]);
  const w = Math.max(4, placed.seconds * scale);
  const data = usePicture(placed.key, placed.frames, placed.channels, Math.min(1200, Math.max(16, Math.round(w))));
  const drag = useRef<{ x: number; at: number } | null>(null);
  const [clear, deep] = tones(member.role);
  const move = (event: PointerEvent) => {
    if (!drag.current) return;
    const by = (event.clientX - drag.current.x) / scale;
    if (Math.abs(event.clientX - drag.current.x) < 2) return;
    onEdit(member.id, { at_s: Number((drag.current.at + by).toFixed(4)) }, "drag");
  };
  return (
    <Box
      role="button"
      tabIndex={-1}
      aria-label={`${member.name}, starts ${placed.start_s.toFixed(3)} s from the strike line`}
      data-clip={member.id}
      position="absolute"
      top="6px"
      bottom="6px"
      left={`${(placed.start_s - view[0]) * scale}px`}
      w={`${w}px`}
      bg={chosen ? "raised" : "sheet"}
      border="1px solid"
      borderColor={chosen ? clear : "line"}
      borderRadius="6px"
      overflow="hidden"
      opacity={faded ? 0.35 : 1}
      cursor="grab"
      touchAction="none"
      onPointerDown={(event) => {
        if (event.button) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        drag.current = { x: event.clientX, at: member.at_s };
        onChoose();
      }}
      onPointerMove={move}
      onPointerUp={() => {
        drag.current = null;
      }}
    >
      <Wave data={data.data} clear={clear} deep={deep} gain={Math.min(4, 10 ** (member.gain_db / 20) * 1.6)} />
      <svg width="100%" height="100%" preserveAspectRatio="none" style={{ position: "absolute", inset: 0, pointerEvents: "none" }} aria-hidden="true">
        {member.fade_in_s > 0 && (
          <line x1="0" y1="100%" x2={`${(member.fade_in_s / placed.seconds) * 100}%`} y2="0" stroke="currentColor" strokeOpacity="0.6" />
        )}
        {member.fade_out_s > 0 && (
          <line x1={`${100 - (member.fade_out_s / placed.seconds) * 100}%`} y1="0" x2="100%" y2="100%" stroke="currentColor" strokeOpacity="0.6" />
        )}
      </svg>
      <Box
        position="absolute"
        top={0}
        left={`${placed.anchor_s * scale - 5}px`}
        borderLeft="5px solid transparent"
        borderRight="5px solid transparent"
        borderTop="7px solid"
        borderTopColor="amber"
        title="Anchor"
      />
    </Box>
  );
}

function PanAndGain({ member, onEdit }: { member: Member; onEdit: Props["onEdit"] }) {
  return (
    <Box px="2px">
      <Num
        label={`${member.pan === 0 ? "centre" : `${Math.round(Math.abs(member.pan) * 100)} ${member.pan < 0 ? "L" : "R"}`}`}
        value={member.gain_db}
        unit="dB"
        low={-48}
        high={12}
        normal={0}
        step={0.5}
        onChange={(gain_db, gesture) => onEdit(member.id, { gain_db }, gesture)}
      />
    </Box>
  );
}

export function Lanes({ mix, layout, sumOpened, chosen, solo, onChoose, onEdit, onSolo, onAdd }: Props) {
  const area = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  const [view, setView] = useState<[number, number] | null>(null);
  const playhead = useRef<HTMLDivElement>(null);
  const loop = useListening((state) => state.loop);
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
  return (
    <Box flex={1} overflowY="auto" position="relative" minH={0}>
      <Flex position="relative" minH="100%">
        <Box w={HEAD} flexShrink={0} bg="sheet" borderRight="1px solid" borderColor="line">
          <Flex h={`${RULER}px`} align="center" justify="space-between" px="10px" color="dim" borderBottom="1px solid" borderColor="line">
            {mix.members.length} {mix.members.length === 1 ? "layer" : "layers"}
            <Do quiet onClick={onAdd}>
              + add
            </Do>
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
            borderLeftColor={chosen === null ? "amber" : "chalk"}
            borderBottomColor="line"
            bg={chosen === null ? "raised" : undefined}
            cursor="pointer"
            onClick={() => onChoose(null)}
          >
            <Box fontWeight={600}>Sum</Box>
            <Box color="dim" fontSize="12px">
              {mix.chain.filter((one) => one.on).length} {mix.chain.filter((one) => one.on).length === 1 ? "step" : "steps"} on it
            </Box>
          </chakra.button>
          {mix.members.map((member) => (
            <Box
              key={member.id}
              data-layer={member.id}
              h={`${LANE}px`}
              px="10px"
              py="5px"
              borderBottom="1px solid"
              borderBottomColor="line"
              borderLeft="3px solid"
              borderLeftColor={tones(member.role)[0]}
              bg={member.id === chosen ? "raised" : undefined}
              onPointerDown={() => onChoose(member.id)}
            >
              <Flex justify="space-between" align="center" gap="6px">
                <Box fontWeight={550} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={member.name}>
                  {member.name}
                </Box>
                <Flex gap="2px" fontSize="11px">
                  <Do quiet on={member.mute} hint="Mute (M)" onClick={() => onEdit(member.id, { mute: !member.mute })}>
                    mute
                  </Do>
                  <Do quiet on={solo.includes(member.id)} hint="Solo, for listening only (O)" onClick={() => onSolo(member.id)}>
                    solo
                  </Do>
                </Flex>
              </Flex>
              <PanAndGain member={member} onEdit={onEdit} />
            </Box>
          ))}
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
          {mix.members.map((member) => {
            const placed = layout?.layers.find((one) => one.id === member.id);
            return (
              <Box
                key={member.id}
                h={`${LANE}px`}
                borderBottom="1px solid"
                borderColor="line"
                position="relative"
                bg={member.id === chosen ? "sheet/50" : undefined}
              >
                {placed && (
                  <Clip
                    member={member}
                    placed={placed}
                    view={shown}
                    width={width}
                    chosen={member.id === chosen}
                    faded={member.mute || (solo.length > 0 && !solo.includes(member.id))}
                    onChoose={() => onChoose(member.id)}
                    onEdit={onEdit}
                  />
                )}
              </Box>
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
