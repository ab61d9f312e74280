/** One layer on its lane: its waveform with handles for place, edges, fades, anchor and what slips inside. The drawing moves at once, the sound on release. */
import { Box, chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { memo, type PointerEvent, useEffect, useRef, useState } from "react";
import { bytes, type Envelope, type Member } from "../../api/client";
import { fitted, type PeakData, waveform } from "../../canvas/paint";
import { type Ink, useInk } from "../../ui/theme";
import { type Aim, carried, envelopeOf, fadeGain, type Placed, speedOf } from "./design";
import { EnvelopeLine } from "./EnvelopeLine";

export function usePicture(key: string | undefined, frames: number, channels: number, width: number) {
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

export function Wave({ data, clear, deep, gain }: { data: PeakData | undefined; clear: keyof Ink; deep: keyof Ink; gain: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const colours = useInk();
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const draw = () => {
      const pen = fitted(element);
      if (!pen || !data) return;
      waveform(pen, data, 0, 0, element.clientWidth, element.clientHeight, colours[clear], colours[deep], gain);
    };
    draw();
    const watch = new ResizeObserver(draw);
    watch.observe(element);
    return () => watch.disconnect();
  }, [data, clear, deep, gain, colours]);
  return <chakra.canvas ref={canvas} position="absolute" inset={0} w="100%" h="100%" aria-hidden />;
}

const TONES: Record<string, [keyof Ink, keyof Ink]> = {
  glass: ["glass", "glassDeep"],
  plum: ["plum", "plumDeep"],
  sky: ["sky", "skyDeep"],
  chalk: ["chalk", "faint"],
};

/** A colour of the layer's own, or that of its role: what hits in the first, what carries tone in the second, air in the third. */
export function tones(role: string, colour = ""): [keyof Ink, keyof Ink] {
  return TONES[colour] ?? (role === "tone" || role === "tail" ? TONES.plum : role === "air" ? TONES.sky : TONES.glass);
}

export interface ClipActs {
  choose: (id: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void;
  edit: (id: string, values: Partial<Member>, gesture?: string) => void;
  /** Pressed and not dragged: it alone is chosen, of the several it was among. */
  alone: (id: string) => void;
  /** Layers that go along when one is dragged. */
  together: (id: string) => string[];
  shift: (ids: string[], seconds: number) => void;
  curve: (id: string, envelope: Envelope) => void;
}

interface Props {
  member: Member;
  placed: Placed;
  /** Pixels a second, and the second at the left edge. */
  scale: number;
  from: number;
  height: number;
  chosen: boolean;
  faded: boolean;
  colour: string;
  aim: Aim | null;
  pen: boolean;
  acts: ClipActs;
}

type Grip = "move" | "slip" | "start" | "end" | "fadeIn" | "fadeOut" | "anchor";

const round = (value: number) => Number(value.toFixed(6));

function Fades({
  member,
  seconds,
  width,
  height,
  rise,
  fall,
}: {
  member: Member;
  seconds: number;
  width: number;
  height: number;
  rise: number;
  fall: number;
}) {
  const curve = (length: number, shape: string, out: boolean) => {
    const points = [];
    for (let i = 0; i <= 24; i++) {
      const x = (i / 24) * (length / seconds) * width;
      points.push(`${out ? width - x : x} ${height - fadeGain(i / 24, shape) * (height - 2) - 1}`);
    }
    return points.join(" ");
  };
  return (
    <svg width={width} height={height} style={{ position: "absolute", inset: 0, pointerEvents: "none" }} aria-hidden="true">
      {rise > 0 && <polyline points={curve(rise, member.fade_in_shape, false)} fill="none" stroke="currentColor" strokeOpacity="0.65" />}
      {fall > 0 && <polyline points={curve(fall, member.fade_out_shape, true)} fill="none" stroke="currentColor" strokeOpacity="0.65" />}
    </svg>
  );
}

export const Clip = memo(function Clip({ member, placed, scale, from, height, chosen, faded, colour, aim, pen, acts }: Props) {
  const width = Math.max(4, placed.seconds * scale);
  const data = usePicture(placed.key, placed.frames, placed.channels, Math.min(1200, Math.max(16, Math.round(width))));
  const [by, setBy] = useState<{ grip: Grip; dx: number } | null>(null);
  const drag = useRef<{ grip: Grip; x: number; dx: number; ids: string[] } | null>(null);
  const [clear, deep] = tones(member.role, member.colour || colour);
  const fixed = member.locked || !!member.frozen;
  const dxOf = (grip: Grip) => (by?.grip === grip ? by.dx : 0);
  const [trimLeft, trimRight] = [dxOf("start"), dxOf("end")];
  const seconds = placed.seconds;
  const rise = Math.min(seconds, Math.max(0, member.fade_in_s + dxOf("fadeIn") / scale));
  const fall = Math.min(seconds, Math.max(0, member.fade_out_s - dxOf("fadeOut") / scale));
  // the place is known here before the server answers: the anchor lands where the layer says
  const starts = member.at_s - carried(placed.line, member.anchor_s, 0);
  const anchor = carried(placed.line, member.anchor_s, 0);
  const left = (starts - from) * scale + trimLeft;
  const shown = Math.max(4, width - trimLeft + trimRight);
  const forward = speedOf(placed) > 0;

  /** What a grip may be moved by (px): edges stay inside the source and apart, fades inside the layer. */
  const bounded = (grip: Grip, dx: number): number => {
    const inside = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));
    const least = 0.002 * scale;
    const toSource = (source: number) => carried(placed.line, source, 0) * scale;
    const [first, last] = [toSource(forward ? 0 : placed.whole_s), toSource(forward ? placed.whole_s : 0)];
    if (grip === "start") return inside(dx, first, width - least);
    if (grip === "end") return inside(dx, least - width, last - width);
    if (grip === "slip") return inside(dx, width - last, -first);
    if (grip === "anchor") return inside(dx, -anchor * scale, width - anchor * scale);
    if (grip === "fadeIn") return inside(dx, -member.fade_in_s * scale, (seconds - member.fade_in_s) * scale);
    if (grip === "fadeOut") return inside(dx, (member.fade_out_s - seconds) * scale, member.fade_out_s * scale);
    return dx;
  };

  const commit = (grip: Grip, dx: number, ids: string[]) => {
    const s = dx / scale;
    const source = (own: number) => round(Math.min(placed.whole_s, Math.max(0, carried(placed.line, own, 1))));
    if (grip === "move") acts.shift(ids, s);
    else if (grip === "start") acts.edit(member.id, { [forward ? "start_s" : "end_s"]: source(s) });
    else if (grip === "end") acts.edit(member.id, { [forward ? "end_s" : "start_s"]: source(seconds + s) });
    else if (grip === "fadeIn") acts.edit(member.id, { fade_in_s: round(rise) });
    else if (grip === "fadeOut") acts.edit(member.id, { fade_out_s: round(fall) });
    else if (grip === "anchor") acts.edit(member.id, { anchor_s: round(carried(placed.line, anchor + s, 1)), at_s: round(member.at_s + s) });
    else {
      const moved = carried(placed.line, -s, 1) - carried(placed.line, 0, 1);
      acts.edit(member.id, {
        at_s: round(member.at_s + s),
        start_s: round(Math.max(0, (member.start_s ?? 0) + moved)),
        end_s: round(Math.min(placed.whole_s, (member.end_s ?? placed.whole_s) + moved)),
      });
    }
  };

  const down = (event: PointerEvent<HTMLElement>) => {
    if (event.button) return;
    if (!chosen || event.shiftKey || event.ctrlKey || event.metaKey) acts.choose(member.id, event);
    const grip = ((event.target as HTMLElement).dataset.grip ?? (event.altKey ? "slip" : "move")) as Grip;
    if (member.locked || (member.frozen && grip !== "move")) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { grip, x: event.clientX, dx: 0, ids: acts.together(member.id) };
  };
  const clips = (ids: string[], element: HTMLElement) =>
    ids.flatMap((id) => [...(element.closest("[data-lanes]")?.querySelectorAll<HTMLElement>(`[data-clip="${id}"]`) ?? [])]);
  const move = (event: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    if (!held) return;
    const dx = event.clientX - held.x;
    if (!held.dx && Math.abs(dx) < 2) return;
    held.dx = bounded(held.grip, dx);
    if (held.grip === "move") for (const one of clips(held.ids, event.currentTarget)) one.style.transform = `translateX(${held.dx}px)`;
    else setBy({ grip: held.grip, dx: held.dx });
  };
  const up = (event: PointerEvent<HTMLElement>) => {
    const held = drag.current;
    drag.current = null;
    // edges wait for the new picture, so that nothing jumps back in between
    if (!held?.dx || !["start", "end", "slip"].includes(held.grip)) setBy(null);
    if (!held?.dx) {
      if (!event.shiftKey && !event.ctrlKey && !event.metaKey) acts.alone(member.id);
      return;
    }
    for (const one of clips(held.ids, event.currentTarget)) one.style.transform = "";
    commit(held.grip, held.dx, held.ids);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the new picture is the reason
  useEffect(() => setBy(null), [placed.key, placed.seconds, placed.start_s]);
  const envelope = aim ? envelopeOf(member, aim) : null;
  return (
    <Box
      role="button"
      tabIndex={-1}
      aria-label={`${member.name}, starts ${starts.toFixed(3)} s from the strike line`}
      aria-pressed={chosen}
      data-clip={member.id}
      position="absolute"
      top="5px"
      bottom="5px"
      left={`${left}px`}
      w={`${shown}px`}
      bg={chosen ? "raised" : "sheet"}
      border="1px solid"
      borderColor={chosen ? clear : "line"}
      borderStyle={member.frozen ? "dashed" : "solid"}
      borderRadius="6px"
      overflow="hidden"
      opacity={faded ? 0.35 : 1}
      cursor={member.locked ? "not-allowed" : "grab"}
      touchAction="none"
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      title={member.locked ? "Locked" : member.frozen ? "Frozen: thaw to change it" : "Drag to move, Alt-drag to slip what is inside"}
    >
      <Box position="absolute" top={0} bottom={0} left={`${-trimLeft + dxOf("slip")}px`} w={`${width}px`} pointerEvents="none">
        <Wave data={data.data} clear={clear} deep={deep} gain={Math.min(4, 10 ** (member.gain_db / 20) * 1.6)} />
      </Box>
      <Fades member={member} seconds={seconds} width={shown} height={height} rise={rise} fall={fall} />
      {aim && !fixed ? (
        <EnvelopeLine
          aim={aim}
          envelope={envelope}
          line={placed.line}
          scale={scale}
          width={width}
          height={height}
          pen={pen}
          onChange={(next) => acts.curve(member.id, next)}
        />
      ) : (
        chosen &&
        !fixed && (
          <>
            <Box data-grip="start" position="absolute" left={0} top="20px" bottom={0} w="7px" cursor="ew-resize" title="Trim the start" />
            <Box data-grip="end" position="absolute" right={0} top="20px" bottom={0} w="7px" cursor="ew-resize" title="Trim the end" />
            <Box
              data-grip="fadeIn"
              position="absolute"
              top="10px"
              left={`${Math.max(0, rise * scale - 5)}px`}
              w="10px"
              h="10px"
              borderRadius="full"
              bg="chalk"
              border="2px solid"
              borderColor="ground"
              cursor="ew-resize"
              title="Fade in"
            />
            <Box
              data-grip="fadeOut"
              position="absolute"
              top="10px"
              right={`${Math.max(0, fall * scale - 5)}px`}
              w="10px"
              h="10px"
              borderRadius="full"
              bg="chalk"
              border="2px solid"
              borderColor="ground"
              cursor="ew-resize"
              title="Fade out"
            />
          </>
        )
      )}
      <Box
        data-grip="anchor"
        position="absolute"
        top={0}
        left={`${anchor * scale - trimLeft + dxOf("anchor") - 6}px`}
        borderLeft="6px solid transparent"
        borderRight="6px solid transparent"
        borderTop="8px solid"
        borderTopColor="amber"
        cursor={fixed ? undefined : "col-resize"}
        pointerEvents={aim ? "none" : "auto"}
        title="Anchor: drag it along the sound; Home brings it to the strike line"
      />
    </Box>
  );
});
