/** The area lanes lie in: a ruler on top, a line at zero, the loop and the playhead over all of them. */

import { Box } from "@chakra-ui/react";
import { type PointerEvent, type ReactNode, type RefObject, useEffect, useRef, useState } from "react";
import type { Opened } from "../api/client";
import { marks } from "../canvas/ruler";
import { live, player } from "../listening/player";
import { useListening } from "../listening/state";
import { useUnit } from "../listening/useUnit";
import type { Scale } from "./useScale";

/** Rate (Hz) samples are counted at before anything is heard. */
const USUAL_RATE = 48_000;

/** Height of the ruler (px). */
export const RULER = 24;
/** A press that moves less (px) is a click. */
const CLICK_PX = 4;

interface Props {
  area: RefObject<HTMLDivElement | null>;
  scale: Scale;
  /** What is heard along this area; its zero lies on that of the area. */
  heard: Opened | null;
  /** What zero is called. */
  zero: string;
  /** Stands in place of the usual ruler. */
  ruler?: ReactNode;
  children: ReactNode;
}

export function Ruler({ scale, rate }: { scale: Scale; rate: number }) {
  const { shown, width, toX } = scale;
  const unit = useUnit();
  return (
    <Box h={`${RULER}px`} borderBottom="1px solid" borderColor="line" position="relative" fontFamily="mono" fontSize="10px" color="dim">
      {marks(shown, width, unit, rate, 0).map(({ at, text }) => (
        <Box
          key={at}
          position="absolute"
          left={`${toX(at)}px`}
          top={0}
          bottom={0}
          borderLeft="1px solid"
          borderColor="line"
          pl="4px"
          whiteSpace="nowrap"
        >
          {at > 0 ? "+" : ""}
          {text}
        </Box>
      ))}
    </Box>
  );
}

function Playhead({ scale, heard }: { scale: Scale; heard: Opened | null }) {
  const line = useRef<HTMLDivElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the playhead follows the view
  useEffect(() => {
    const place = () => {
      const playing = useListening.getState().heard;
      if (!line.current || !playing) return;
      line.current.style.display = playing.opened.digest === heard?.digest ? "block" : "none";
      line.current.style.transform = `translateX(${scale.toX((live.position - playing.opened.zero) / playing.opened.rate)}px)`;
    };
    place();
    return player.onTick(place);
  }, [heard, scale.perSecond, scale.shown[0]]);
  // a layer of its own: what it moves over is not put together anew each time it does
  const apart = { position: "absolute", top: `${RULER}px`, bottom: 0, left: 0, willChange: "transform" } as const;
  return <Box ref={line} {...apart} w="1.5px" bg="chalk" pointerEvents="none" display="none" />;
}

export function LaneArea({ area, scale, heard, zero, ruler, children }: Props) {
  const { shown, perSecond, toX } = scale;
  const loop = useListening((state) => state.loop);
  const [marking, setMarking] = useState<number | null>(null);
  const start = heard ? -heard.zero / heard.rate : 0;
  const length = heard ? heard.frames / heard.rate : 0;
  const secondsAt = (event: PointerEvent) => shown[0] + (event.clientX - (area.current?.getBoundingClientRect().left ?? 0)) / perSecond;
  const down = (event: PointerEvent) => {
    if (event.button || (event.target as HTMLElement).closest("[data-clip]")) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setMarking(secondsAt(event));
  };
  const move = (event: PointerEvent) => {
    if (marking === null || !heard) return;
    const at = secondsAt(event);
    if (Math.abs(at - marking) * perSecond < CLICK_PX) return;
    const [a, b] = at < marking ? [at, marking] : [marking, at];
    player.setLoop([Math.max(0, a - start), Math.min(length, b - start)]);
  };
  const up = (event: PointerEvent) => {
    if (marking !== null && Math.abs(secondsAt(event) - marking) * perSecond < CLICK_PX) {
      const playing = useListening.getState().heard;
      const at = Math.max(0, marking - start);
      if (playing && playing.opened.digest === heard?.digest) void player.play(playing, at, loop && at >= loop[0] && at <= loop[1] ? loop : null);
    }
    setMarking(null);
  };
  return (
    <Box
      ref={area}
      flex={1}
      position="relative"
      overflow="hidden"
      onDoubleClick={scale.whole}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
    >
      {ruler ?? <Ruler scale={scale} rate={heard?.rate ?? USUAL_RATE} />}
      {loop && heard && (
        <Box
          position="absolute"
          top={`${RULER}px`}
          bottom={0}
          left={`${toX(loop[0] + start)}px`}
          w={`${(loop[1] - loop[0]) * perSecond}px`}
          bg="amberSoft"
        />
      )}
      {children}
      <Box position="absolute" top={`${RULER - 8}px`} bottom={0} left={`${toX(0) - 1}px`} w="2px" bg="amber" pointerEvents="none" title={zero} />
      <Playhead scale={scale} heard={heard} />
    </Box>
  );
}
