/** The listening strip: the same in every stage. Nothing on it reaches a render. */

import { Box, chakra, Flex } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { inUnit } from "../canvas/ruler";
import { useShared } from "../session/store";
import { Bare, Do } from "../ui/buttons";
import { ControlOf, useControl } from "../ui/controls";
import { shown, useKeys } from "../ui/keys";
import { IN_WIDE, ink } from "../ui/theme";
import { useTurns } from "../ui/useBegun";
import { OutputPanel } from "./OutputPanel";
import { live, MATCH_LUFS, player } from "./player";
import { isReference, toggleReference } from "./referring";
import { useListening } from "./state";
import { useDrawing } from "./useDrawing";
import { useUnit } from "./useUnit";
import { Waiting } from "./Waiting";

function Meters() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const text = useRef<HTMLDivElement>(null);
  const share = (value: number) => Math.max(0, Math.min(1, (20 * Math.log10(Math.max(value, 1e-6)) + 60) / 63));
  useDrawing(canvas, (pen, width) => {
    const colours = ink();
    for (const c of [0, 1]) {
      const y = 3 + c * 18;
      pen.fillStyle = colours.ground;
      pen.fillRect(0, y, width, 9);
      const level = share(live.peak[c]);
      pen.fillStyle = colours.glass;
      pen.fillRect(0, y, width * Math.min(level, share(0.5)), 9);
      pen.fillStyle = colours.amber;
      if (level > share(0.5)) pen.fillRect(width * share(0.5), y, width * (level - share(0.5)), 9);
      pen.fillStyle = colours.sky;
      pen.fillRect(width * share(10 ** (useListening.getState().reference / 20)), y - 2, 1, 13);
      pen.fillStyle = live.hold[c] >= 1 ? colours.coral : colours.chalk;
      if (live.hold[c] > 0.001) pen.fillRect(width * share(live.hold[c]) - 1, y, 2, 9);
    }
    if (text.current) {
      const most = Math.max(live.hold[0], live.hold[1]);
      const { reference } = useListening.getState();
      text.current.textContent = live.momentary === null ? "M  none" : `M ${live.momentary.toFixed(1)} LUFS`;
      text.current.title = `Momentary loudness. Highest peak ${most > 0 ? (20 * Math.log10(most)).toFixed(1) : "none"} dBFS${most > 0 ? `, ${(20 * Math.log10(most) - reference).toFixed(1)} dB over the working level of ${reference} dBFS` : ""}`;
    }
  });
  return (
    <Flex align="center" gap="7px" flexShrink={0}>
      <Flex direction="column" fontFamily="mono" fontSize="11px" color="dim" gap="3px">
        <Box>L</Box>
        <Box>R</Box>
      </Flex>
      <chakra.canvas ref={canvas} w="92px" h="36px" role="img" aria-label="Level left and right" />
      <Box ref={text} fontFamily="mono" fontSize="11px" w="92px" whiteSpace="nowrap" />
    </Flex>
  );
}

function Spectrum() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const bins = useRef(new Float32Array(1024)).current;
  useDrawing(canvas, (pen, width, height) => {
    const colours = ink();
    pen.fillStyle = colours.line;
    pen.fillRect(0, height - 1, width, 1);
    pen.fillStyle = colours.dim;
    pen.font = "9px 'JetBrains Mono Variable', monospace";
    const x = (hz: number) => (Math.log(hz / 40) / Math.log(20_000 / 40)) * width;
    for (const hz of [100, 1000, 10_000]) pen.fillText(hz >= 1000 ? `${hz / 1000}k` : `${hz}`, Math.min(x(hz), width - 18), 9);
    const { analyser } = player;
    if (!analyser || !useListening.getState().playing) return;
    analyser.getFloatFrequencyData(bins);
    pen.fillStyle = colours.glassDeep;
    pen.strokeStyle = colours.glass;
    pen.beginPath();
    pen.moveTo(0, height);
    for (let i = 1; i < bins.length; i++) {
      const hz = (i * player.rate) / 2048;
      if (hz < 40) continue;
      pen.lineTo(x(hz), height - Math.max(0, ((bins[i] + 96) / 90) * (height - 12)));
    }
    pen.lineTo(width, height);
    pen.globalAlpha = 0.7;
    pen.fill();
    pen.globalAlpha = 1;
    pen.stroke();
  });
  return <chakra.canvas ref={canvas} css={IN_WIDE} flex={1} minW="60px" maxW="220px" h="52px" role="img" aria-label="Spectrum of what is heard" />;
}

function Position() {
  const unit = useUnit();
  const now = useRef<HTMLDivElement>(null);
  const heard = useListening((state) => state.heard);
  useEffect(() => {
    const write = () => {
      const zero = heard ? heard.opened.zero / heard.opened.rate : 0;
      const at = heard ? live.position / heard.opened.rate - zero : 0;
      const shown = unit === "fitting" ? (zero ? "seconds" : "minutes") : unit;
      if (now.current) now.current.textContent = `${zero && at >= 0 ? "+" : ""}${inUnit(at, shown, heard?.opened.rate ?? 0)}`;
    };
    write();
    return player.onTick(write);
  }, [heard, unit]);
  return (
    <Box w="148px" minW="100px" flexShrink={1}>
      <Box ref={now} fontFamily="mono" fontSize="16px" data-testid="position" />
      <Box color="dim" fontSize="12px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={heard?.title}>
        {heard
          ? heard.opened.zero
            ? `from the strike line, ${heard.title}`
            : `of ${(heard.opened.frames / heard.opened.rate).toFixed(3)} s, ${heard.title}`
          : "nothing chosen"}
      </Box>
    </Box>
  );
}

/** The strip has its room from the beginning; what is on it follows the stage. */
export function Strip() {
  const begun = useTurns(3) > 2;
  return (
    <Flex
      as="footer"
      aria-label="Listening strip"
      h="78px"
      flexShrink={0}
      align="center"
      gap="10px"
      px="14px"
      bg="sheet"
      borderTop="1px solid"
      borderColor="line"
      position="relative"
    >
      {begun && <OnStrip />}
    </Flex>
  );
}

function OnStrip() {
  const [speed, gain, volume] = [useControl("Heard", "speed_st"), useControl("Heard", "gain_db"), useControl("Listening", "volume_db")];
  const { heard, playing, waiting, loop, looping, speedSt, gainDb, volumeDb, matched, dim } = useListening();
  const [open, setOpen] = useState(false);
  const reference = useShared((state) => state.reference);
  useKeys({ reference: () => void toggleReference(), dim: () => player.setDim(!useListening.getState().dim) });
  return (
    <>
      {waiting && (
        <Box role="progressbar" aria-label="Rendering" position="absolute" top="-1px" left={0} h="2px" w="100%" overflow="hidden">
          <Box h="100%" w="30%" bg="amber" animation="slide-from-left 0.9s infinite" />
        </Box>
      )}
      <Waiting />
      <Bare
        aria-label={playing ? "Stop" : "Play"}
        title={`Play or stop (${shown("play")})`}
        disabled={!heard}
        onClick={() => player.toggle()}
        w="40px"
        h="40px"
        borderRadius="full"
        bg="amber"
        color="onAmber"
        flexShrink={0}
        cursor="pointer"
        display="grid"
        placeItems="center"
        justifyContent="center"
        _disabled={{ opacity: 0.4 }}
      >
        <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden="true">
          {playing ? <rect x="4" y="4" width="10" height="10" fill="currentColor" /> : <path d="M5 3l10 6-10 6z" fill="currentColor" />}
        </svg>
      </Bare>
      <Position />
      <Do
        act="loop"
        on={looping && !!loop}
        onClick={() => {
          useListening.setState({ looping: !looping });
          player.setLoop(loop);
        }}
      >
        Loop
        <Box as="span" fontFamily="mono" fontSize="11px" color="dim" minW="78px" css={IN_WIDE}>
          {loop ? `${loop[0].toFixed(2)} → ${loop[1].toFixed(2)}` : "drag a part"}
        </Box>
      </Do>
      <Box w="102px" flexShrink={0}>
        <ControlOf control={speed} value={speedSt} onChange={(value) => player.setSpeed(value)} />
      </Box>
      <Box w="84px">
        <ControlOf control={gain} value={gainDb} onChange={(value) => player.setGain(value)} />
      </Box>
      <Do
        on={matched}
        hint={`Play every sound at ${MATCH_LUFS} LUFS, so that a quiet one is not judged worse`}
        onClick={() => player.setMatched(!matched)}
      >
        Match
      </Do>
      <Do
        act="reference"
        on={isReference(heard)}
        hint={
          reference
            ? `Hear ${reference.name} at the same loudness, or go back (${shown("reference")})`
            : `Take what is heard as the reference to compare with (${shown("reference")})`
        }
        onClick={() => void toggleReference()}
      >
        Ref
      </Do>
      <Box w="84px" flexShrink={0}>
        <ControlOf control={volume} value={volumeDb} onChange={(value) => player.setVolume(value)} />
      </Box>
      <Do on={dim} act="dim" onClick={() => player.setDim(!dim)}>
        Dim
      </Do>
      <Do on={open} hint="Output, mono check, safety limit" onClick={() => setOpen(!open)}>
        Output
      </Do>
      <Meters />
      <Spectrum />
      {open && <OutputPanel onClose={() => setOpen(false)} />}
    </>
  );
}
