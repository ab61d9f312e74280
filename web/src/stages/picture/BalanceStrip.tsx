/** The balance pass: every placement a column in time, as tall as it is loud, with a dash for its pan; the present one is set against its neighbours. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { Mix } from "../../api/client";
import { api, got, type Member, slowly } from "../../api/client";
import { about } from "../../bench/told";
import type { Within } from "../../bench/useMeters";
import { useShared } from "../../session/store";
import type { Scale } from "../../timeline/useScale";
import { Controls } from "../../ui/controls";
import { Fold } from "../../ui/Fold";
import { type Ranges, setRanges, useRanges } from "./balancing";
import type { Scene } from "./frames";

/** The part of the strip (of 1) that pans take. */
const PANS = 0.2;
/** Levels (LUFS) a line is drawn at. */
const LINES = [-90, -80, -70, -60, -50, -40, -30, -20, -10, 0];
/** What a key changes: dB, and of 1 for pan. */
const [GAIN_DB, PAN] = [0.5, 0.05];
/** Neighbours before and after that stay bright. */
const BRIGHT = 2;

/** How loud each placement is by itself (LUFS at its loudest), its gain left out; gain, pan and place change nothing about it. */
export function useBalance(mix: Mix, within: Within, on: boolean) {
  const library = useShared((state) => state.library);
  const sounding = !on ? "" : JSON.stringify(mix.members.map((one) => ({ ...one, gain_db: 0, pan: 0, at_s: 0, mute: false, group: "", colour: "" })));
  return useQuery({
    queryKey: ["balance", library, sounding, within.key],
    enabled: on && mix.members.length > 0,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: ({ signal }) =>
      about(mix, async (told) => {
        const digest = await within.plain(told);
        return await slowly(signal, () =>
          got(api.POST("/api/lib/{library}/picture/balance", { params: { path: { library } }, body: { digest }, signal })),
        );
      }),
  }).data?.loudest;
}

/** What is looped around a placement as it is balanced, and the levels the strip shows. */
export function BalanceRanges() {
  return (
    <Fold over label="Ranges" hint="What is looped around a placement, and the levels the strip shows">
      <Controls<Ranges> model="Balancing" names={["around_s", "most_s", "low_lufs", "high_lufs"]} value={useRanges()} onChange={setRanges} />
    </Fold>
  );
}

interface Props {
  scene: Scene;
  scale: Scale;
  loudest: Record<string, number | null> | undefined;
  chosen: string[];
  onChoose: (id: string, event?: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void;
  onEach: (values: (one: Member) => Partial<Member>, gesture: string) => void;
}

const within = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

export function BalanceStrip({ scene, scale, loudest, chosen, onChoose, onEach }: Props) {
  const drag = useRef<{ y: number; x: number } | null>(null);
  const { low_lufs: low, high_lufs: high } = useRanges();
  const groups = scene.mix?.groups ?? [];
  const members = [...((scene.mix?.members ?? []) as Member[])].sort((one, other) => one.at_s - other.at_s);
  const present = members.findIndex((one) => one.id === chosen[chosen.length - 1]);
  const loud = (one: Member) => {
    const own = loudest?.[one.id];
    const group = groups.find((other) => other.id === one.group);
    return own == null ? null : own + one.gain_db + (group?.gain_db ?? 0);
  };
  const step = (by: number) => {
    const next = members[within(present < 0 ? 0 : present + by, 0, members.length - 1)];
    if (next) onChoose(next.id);
  };
  const keys = (event: KeyboardEvent) => {
    const much = event.shiftKey ? 6 : 1;
    const raised = (db: number) => onEach((one) => ({ gain_db: within(Number((one.gain_db + db * much).toFixed(2)), -96, 36) }), "gain");
    const panned = (by: number) => onEach((one) => ({ pan: within(Number((one.pan + by * much).toFixed(2)), -1, 1) }), "pan");
    const acts = new Map([
      ["ArrowUp", () => raised(GAIN_DB)],
      ["ArrowDown", () => raised(-GAIN_DB)],
      ["ArrowRight", () => panned(PAN)],
      ["ArrowLeft", () => panned(-PAN)],
    ]);
    const act = acts.get(event.key);
    const last = event.shiftKey ? present <= 0 : present >= members.length - 1;
    if (event.key === "Tab" && !last) {
      event.preventDefault();
      event.stopPropagation();
      step(event.shiftKey ? -1 : 1);
    } else if (act && !event.ctrlKey && !event.altKey) {
      event.preventDefault();
      event.stopPropagation();
      act();
    }
  };
  const move = (event: PointerEvent) => {
    if (!drag.current) return;
    const [dy, dx] = [drag.current.y - event.clientY, event.clientX - drag.current.x];
    drag.current = { y: event.clientY, x: event.clientX };
    if (Math.abs(dy) >= Math.abs(dx)) onEach((one) => ({ gain_db: within(Number((one.gain_db + dy * 0.25).toFixed(2)), -96, 36) }), "gain drag");
    else onEach((one) => ({ pan: within(Number((one.pan + dx * 0.01).toFixed(2)), -1, 1) }), "pan drag");
  };
  return (
    <Box
      role="listbox"
      aria-label="Balance pass"
      aria-multiselectable
      tabIndex={0}
      position="absolute"
      inset={0}
      data-clip="balance"
      onKeyDown={keys}
      _focusVisible={{ outline: "2px solid", outlineColor: "amber", outlineOffset: "-2px" }}
    >
      {LINES.filter((level) => level > low && level < high).map((level) => (
        <Box
          key={level}
          position="absolute"
          left={0}
          right={0}
          bottom={`${(PANS + ((1 - PANS) * (level - low)) / (high - low)) * 100}%`}
          borderTop="1px solid"
          borderColor="line/50"
          fontFamily="mono"
          fontSize="9px"
          color="dim"
          textAlign="right"
          pr="4px"
          lineHeight="10px"
        >
          {level % 20 === 0 ? level : ""}
        </Box>
      ))}
      {members.map((one, i) => {
        const level = loud(one);
        const own = chosen.includes(one.id);
        const near = present >= 0 && Math.abs(i - present) <= BRIGHT;
        const tall = level === null ? 0 : within((level - low) / (high - low), 0.02, 1) * (1 - PANS) * 100;
        const left = scale.toX(one.at_s);
        if (left < -20 || left > scale.width + 20) return null;
        return (
          <Box
            key={one.id}
            role="option"
            aria-selected={own}
            aria-label={`${one.name}: ${level === null ? "silent" : `${level.toFixed(1)} LUFS`}, gain ${one.gain_db.toFixed(1)} dB, pan ${one.pan === 0 ? "centre" : `${Math.round(Math.abs(one.pan) * 100)} ${one.pan < 0 ? "left" : "right"}`}`}
            position="absolute"
            left={`${left - 7}px`}
            w="15px"
            top={0}
            bottom={0}
            cursor="ns-resize"
            touchAction="none"
            onPointerDown={(event) => {
              event.stopPropagation();
              if (!own || event.ctrlKey || event.metaKey || event.shiftKey) onChoose(one.id, event);
              event.currentTarget.setPointerCapture(event.pointerId);
              drag.current = { y: event.clientY, x: event.clientX };
            }}
            onPointerMove={move}
            onPointerUp={() => {
              drag.current = null;
            }}
          >
            <Box
              position="absolute"
              left="5px"
              w="5px"
              bottom={`${PANS * 100}%`}
              h={`${tall}%`}
              borderRadius="2px"
              bg={own ? "amber" : near || present < 0 ? "chalk" : "faint"}
              opacity={one.mute ? 0.3 : 1}
            />
            <Box position="absolute" left="0" right="0" bottom={`${PANS * 45}%`} borderTop="1px solid" borderColor="line" />
            <Box
              position="absolute"
              bottom={`calc(${PANS * 45}% - 3px)`}
              left={`${4.5 + one.pan * 6}px`}
              w="6px"
              h="6px"
              borderRadius="full"
              bg={own ? "amber" : near || present < 0 ? "chalk" : "faint"}
            />
            {own && i === present && (
              <Box
                position="absolute"
                left="18px"
                top="2px"
                fontFamily="mono"
                fontSize="11px"
                color="amber"
                whiteSpace="nowrap"
                bg="ground/80"
                px="4px"
                borderRadius="3px"
                aria-hidden
              >
                {level === null ? "silent" : `${level.toFixed(1)} LUFS`}, gain {one.gain_db.toFixed(1)} dB,{" "}
                {one.pan === 0 ? "centre" : `${Math.round(Math.abs(one.pan) * 100)} ${one.pan < 0 ? "L" : "R"}`}
              </Box>
            )}
          </Box>
        );
      })}
    </Box>
  );
}
