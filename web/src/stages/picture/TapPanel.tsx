/** Tapping in: the film plays slowly, a key at each event, and candidates lie on the frames when it stops. */
import { Box, Flex } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Controls, useModels } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Heading, Line } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { useFound } from "./Candidates";
import { SPEEDS, speedSaid } from "./FilmView";

type Tapping = Schemas["Tapping"];
type Tap = Schemas["Tap"];

interface Props {
  /** The moment of the film (s) that is heard now; null when the film is not. */
  now: () => number | null;
  onPlay: () => void;
  onLay: (taps: Tap[], lists: number[][], searches: string[], tapping: Tapping) => Promise<void>;
  onClose: () => void;
}

/** Taps along with clicks, to learn how late they come. */
const [CLICKS, EVERY_S] = [8, 0.6];

export function TapPanel({ now, onPlay, onLay, onClose }: Props) {
  const models = useModels();
  const [own, setOwn] = useState<Tapping | null>(null);
  const tapping = own ?? (models?.Tapping?.defaults as Tapping | undefined) ?? null;
  const [words, setWords] = useState(["", ""]);
  const lists = [useFound(words[0]), useFound(words[1])];
  const ids = lists.map((one, i) => (words[i].trim() ? (one.data?.rows ?? []).map((row) => row.id) : []));
  const taps = useRef<Tap[]>([]);
  const [count, setCount] = useState(0);
  const playing = useListening((state) => state.playing);
  const tempo = useListening((state) => state.tempo);
  const measuring = useRef<{ taps: number[]; clicks: number[]; context: AudioContext } | null>(null);
  const [learning, setLearning] = useState(false);
  const tap = (list: 0 | 1) => {
    if (measuring.current) {
      measuring.current.taps.push(measuring.current.context.currentTime);
      return;
    }
    const at = now();
    if (at === null || !useListening.getState().playing) return tell("Play the film first (Space), then tap at each event.");
    // how late a tap comes is measured at full speed; slowed down, less of the film goes by in that time
    taps.current.push({ at_s: at, list });
    setCount(taps.current.length);
  };
  useKeys({ anchor: () => tap(0), record: () => tap(1), leave: onClose }, { over: true });
  const latency = useRef(0);
  latency.current = tapping?.latency_ms ?? 0;
  const lay = async () => {
    if (!taps.current.length || !tapping) return;
    const done = taps.current;
    taps.current = [];
    setCount(0);
    await onLay(done, ids, words, {
      ...tapping,
      latency_ms: latency.current * useListening.getState().tempo,
      seed: Math.floor(Math.random() * 2 ** 31),
    });
  };
  const before = useRef(playing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only the end of playing lays them down
  useEffect(() => {
    if (before.current && !playing) void lay();
    before.current = playing;
  }, [playing]);
  const learn = () => {
    player.stop();
    const context = new AudioContext();
    const clicks = [...Array(CLICKS).keys()].map((k) => context.currentTime + 1 + k * EVERY_S);
    for (const at of clicks) {
      const [tone, gain] = [context.createOscillator(), context.createGain()];
      tone.frequency.value = 1200;
      gain.gain.setValueAtTime(0.3, at);
      gain.gain.exponentialRampToValueAtTime(0.001, at + 0.05);
      tone.connect(gain).connect(context.destination);
      tone.start(at);
      tone.stop(at + 0.06);
    }
    measuring.current = { taps: [], clicks, context };
    setLearning(true);
    setTimeout(
      () => {
        const { taps: heard } = measuring.current ?? { taps: [] };
        measuring.current = null;
        setLearning(false);
        void context.close();
        if (heard.length < CLICKS / 2) return tell("Fewer than half of the clicks were tapped along with; nothing was changed.", true);
        got(
          api.POST("/api/lib/{library}/picture/latency", {
            params: { path: { library: useShared.getState().library } },
            body: { taps: heard, clicks },
          }),
        )
          .then(({ latency_ms }) => tapping && setOwn({ ...tapping, latency_ms }))
          .catch(complain);
      },
      (1 + CLICKS * EVERY_S + 0.5) * 1000,
    );
  };
  if (!tapping) return null;
  return (
    <>
      <Heading>What is tapped in</Heading>
      {["T", "R"].map((key, i) => (
        <Flex key={key} direction="column" gap="2px">
          <TextField
            label={`Sounds on ${key}`}
            placeholder={i ? "A second list, on R" : "wing, or a search of any kind"}
            value={words[i]}
            onCommit={(text) => setWords(words.map((one, place) => (place === i ? text : one)))}
          />
          {words[i].trim() && (
            <Box color="dim" fontSize="12px">
              {ids[i].length} {ids[i].length === 1 ? "sound" : "sounds"} on {key}
            </Box>
          )}
        </Flex>
      ))}
      <Controls<Tapping> model="Tapping" names={["order", "latency_ms"]} value={tapping} onChange={(values) => setOwn({ ...tapping, ...values })} />
      <Do on={learning} onClick={learn} hint="Eight clicks are heard; press T along with them">
        {learning ? "Press T along with the clicks" : "Measure how late I tap"}
      </Do>
      <Line />
      <Flex gap="4px" wrap="wrap" role="group" aria-label="Speed">
        {SPEEDS.map((speed) => (
          <Do key={speed} on={Math.abs(tempo - speed) < 0.01} onClick={() => player.setTempo(speed)}>
            {speedSaid(speed)}
          </Do>
        ))}
      </Flex>
      <Flex align="center" gap="10px">
        <Do main act="play" disabled={!ids[0].length && !ids[1].length} onClick={onPlay}>
          {playing ? "Stop and lay down" : "Play"}
        </Do>
        <Box role="status" fontFamily="mono">
          {count} {count === 1 ? "tap" : "taps"}
        </Box>
      </Flex>
      <Box color="dim" fontSize="12px">
        Press T (and R for the second list) at each event. When the film stops they lie there by their anchors, on frames; all of it is one step of
        undo.
      </Box>
      <Do onClick={onClose}>Leave tapping</Do>
    </>
  );
}
