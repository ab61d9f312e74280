/** One sound on the bench of Mend: its chain, heard and seen as it is changed. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { SoundFacts, Step } from "../../api/client";
import { useSend } from "../../between/send";
import { type Band, RULER } from "../../canvas/wave";
import { SavedChains } from "../../chain/SavedChains";
import { LevelBefore, StepLevel, withGainBehind } from "../../chain/StepLevel";
import { StepList } from "../../chain/StepList";
import { useStepKinds } from "../../chain/useStepKinds";
import { UndoRedo } from "../../documents/UndoRedo";
import { useDocument } from "../../documents/useDocument";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { freshStep } from "../../mix/fresh";
import { queries, useShared } from "../../session/store";
import { WaveView } from "../../timeline/WaveView";
import { Do } from "../../ui/buttons";
import { channels, level, rate, seconds } from "../../ui/format";
import { Bar, Fact, Facts, Heading, Line, Side, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { Beside } from "../../ui/Panes";
import { useRoom } from "../../ui/useRoom";
import { EqCurve } from "./EqCurve";
import { HearingBar } from "./HearingBar";
import { LISTING, Listed } from "./Listed";
import { ProfileCurve } from "./ProfileCurve";
import { ReelChoice } from "./ReelChoice";
import { Resonances } from "./Resonances";
import { useHearing } from "./useHearing";

export function Workbench({ sound }: { sound: SoundFacts }) {
  const library = useShared((state) => state.library);
  const send = useSend();
  const kinds = useStepKinds();
  const [chosen, setChosen] = useState<string | null>(null);
  const loop = useListening((state) => state.loop);
  const heard = useListening((state) => state.heard);
  const stale = () => {
    for (const key of ["sounds", "sound", "counts", "opened", "older"]) void queries.invalidateQueries({ queryKey: [key] });
  };
  const history = useDocument({
    kind: "chain",
    id: sound.id,
    first: sound.chain,
    revision: sound.revision,
    called: sound.name,
    docOf: (shown) => shown.chain,
    bodyOf: (chain: Step[]) => ({ chain }),
    onShown: stale,
  });
  const chain = history.doc ?? sound.chain;
  const hears = useHearing(sound, chain, chosen);
  const { base, settled, hearing, setHearing, keepsTime, sameTime, opened, now, levels, shown, about, after, state, compare } = hears;
  const marked = loop && heard && now && heard.opened.digest === now.opened.digest ? loop : null;
  const change = (next: Step[], gesture?: string) => history.change(next, gesture);
  const put = (kind: string, params: Record<string, unknown>) => {
    const known = chain.find((step) => step.kind === kind);
    if (known) change(chain.map((step) => (step === known ? { ...step, on: true, params: { ...step.params, ...params } } : step)));
    else {
      const step = freshStep(kind, params);
      change([...chain, step]);
      setChosen(step.id ?? null);
    }
  };
  /** A profile learned from parts of this sound; one learned on another sound (the take it was cut from) is let go. */
  const learnFrom = (id: string | undefined, parts: [number, number][]) =>
    change(chain.map((step) => (step.id === id ? { ...step, on: true, learned_on: null, params: { ...step.params, parts } } : step)));
  const learn = () => {
    if (!marked) return;
    const part: [number, number] = [Number(marked[0].toFixed(4)), Number(marked[1].toFixed(4))];
    const known = chain.find((step) => step.kind === "noise_reduction");
    if (known) learnFrom(known.id, [part]);
    else put("noise_reduction", { parts: [part] });
  };
  const trim = (start: number | null, end: number | null) => {
    const known = chain.find((step) => step.kind === "trim");
    put("trim", { ...known?.params, ...(start !== null ? { start_s: start } : {}), ...(end !== null ? { end_s: end } : {}) });
    player.setLoop(null);
  };
  const playhead = () => (heard ? live.position / heard.opened.rate : 0);
  useKeys({
    undo: history.undo,
    redo: history.redo,
    bypass: () => setHearing((one) => (one === "before" ? "after" : "before")),
    compare,
    removed: () => keepsTime && setHearing((one) => (one === "removed" ? "after" : "removed")),
    trimStart: () => sameTime && trim(playhead(), null),
    trimEnd: () => sameTime && trim(null, playhead()),
    leave: () => (loop ? player.setLoop(null) : setChosen(null)),
    toLayer: () => void send.layer(sound),
    toSlice: () => send.slice(sound.id),
    toShip: () => send.ship([sound.id]),
  });
  const [area, height] = useRoom<HTMLDivElement>(448);
  const room = Math.max(200, height - RULER);
  // the part a chosen step is limited to, drawn where it is let in
  const only = chain.find((step) => step.id === chosen && (step.start_s != null || step.end_s != null));
  const whole = opened.data ? opened.data.opened.frames / opened.data.opened.rate : 0;
  const limited: Band[] =
    only && sameTime
      ? [
          {
            id: 1,
            start: only.start_s ?? 0,
            end: only.end_s ?? whole,
            label: kinds[only.kind]?.label ?? only.kind,
            chosen: true,
            dropped: false,
            colour: "amber",
          },
        ]
      : [];
  const balance = after?.balance_lu ?? null;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{sound.name}</Title>
        <ReelChoice />
        <Box color="dim" fontFamily="mono" fontSize="12px" whiteSpace="nowrap">
          {seconds(sound.seconds)}, {rate(sound.rate)}, {channels(sound.channels)}
        </Box>
        <Box flex={1} />
        <Do hint="Review reels, what is mended, raw takes that wait" onClick={() => useShared.setState({ mendSound: null, reel: null })}>
          Others
        </Do>
        <UndoRedo history={history} />
        <Do act="toLayer" onClick={() => void send.layer(sound)}>
          To a layer
        </Do>
        <Do act="toShip" onClick={() => send.ship([sound.id])}>
          Ship
        </Do>
      </Bar>
      <Beside
        name="mend"
        label="the steps"
        width={306}
        side={
          <Side label="Steps">
            <Heading>Steps, in order</Heading>
            <LevelBefore levels={shown} about={about} />
            {levels.error && (
              <Box role="alert" color="coral">
                {levels.error.message}
              </Box>
            )}
            <StepList
              chain={chain}
              onChange={change}
              chosen={chosen}
              onChoose={setChosen}
              marked={sameTime ? marked : null}
              channels={sound.channels}
              rate={sound.rate}
              moment={() => (sameTime ? playhead() : null)}
              after={(step) => <StepLevel step={step} levels={shown} about={about} onGain={(gain) => change(withGainBehind(chain, step, gain))} />}
              more={(step, changeParams) =>
                step.kind === "noise_reduction" ? (
                  <ProfileCurve
                    library={library}
                    base={base}
                    chain={chain.slice(0, chain.indexOf(step) + 1)}
                    marked={sameTime ? marked : null}
                    onParts={(parts) => learnFrom(step.id, parts)}
                  />
                ) : LISTING.includes(step.kind) ? (
                  <Listed
                    library={library}
                    base={base}
                    chain={chain.slice(0, chain.indexOf(step) + 1)}
                    onChange={changeParams}
                    onHear={(start) => heard && void player.play(heard, start)}
                  />
                ) : step.kind === "trim" ? (
                  <Box fontFamily="mono" fontSize="11px" color="dim">
                    {String((step.params as Record<string, number | null>).start_s?.toFixed(3) ?? "start")} to{" "}
                    {String((step.params as Record<string, number | null>).end_s?.toFixed(3) ?? "end")} s: mark a part, then Trim to mark
                  </Box>
                ) : null
              }
            />
            <SavedChains chain={chain} onChange={(next) => change(next)} sound={{ id: sound.id, node: base }} follows={sound.follows} />
            <Line />
            <EqCurve chain={chain} rate={sound.rate} chosen={chosen} onChoose={setChosen} onChange={change} />
            <Resonances
              library={library}
              base={base}
              chain={settled}
              onNotch={(params) => change([...chain, freshStep("band", { kind: "notch", gain_db: 0, ...params })])}
            />
            <Line />
            <Facts>
              {balance !== null && (
                <Fact name="Left and right">
                  <Flex align="center" gap="6px" justify="flex-end">
                    {Math.abs(balance) < 0.1 ? "even" : `${balance > 0 ? "right" : "left"} +${Math.abs(balance).toFixed(1)} LU`}
                    {Math.abs(balance) >= 0.3 && !chain.some((step) => step.kind === "even" && step.on) && (
                      <Do quiet hint="Add a step that evens out what was measured" onClick={() => put("even", {})}>
                        Even out
                      </Do>
                    )}
                  </Flex>
                </Fact>
              )}
              <Fact name="After">
                {about && "about "}
                {level(after?.peak_dbfs)} dBFS, {level(after?.lufs, "LUFS")}
              </Fact>
              <Fact name="Length">{after ? seconds(after.seconds) : "…"}</Fact>
            </Facts>
          </Side>
        }
      >
        <Flex direction="column" flex={1} minW={0}>
          <Flex gap="8px" p="10px 14px" align="center" wrap="wrap" borderBottom="1px solid" borderColor="line" flexShrink={0}>
            <HearingBar heard={hears} onChain={change} />
            <Box flex={1} />
            {marked && (
              <Box fontFamily="mono" fontSize="12px" color="amber">
                {marked[0].toFixed(3)} to {marked[1].toFixed(3)} s
              </Box>
            )}
            <Do disabled={!marked || !sameTime} hint="Learn the noise from the marked part: mark a stretch where only noise is heard" onClick={learn}>
              Learn noise
            </Do>
            <Do
              disabled={!marked || !sameTime}
              hint={sameTime ? "Keep the marked part only" : "Turn off steps that change the length to mark a part of the original"}
              onClick={() => marked && trim(marked[0], marked[1])}
            >
              Trim to mark
            </Do>
          </Flex>
          <Box ref={area} flex={1} minH={0} overflow="hidden">
            <WaveView
              opened={opened.data?.opened ?? null}
              height={Math.round(room * 0.55)}
              spectrum={Math.round(room * 0.45)}
              marked={loop && heard?.title.startsWith(sound.name) ? loop : null}
              onMark={(part) => player.setLoop(part)}
              onPlayFrom={(from) => {
                const { heard: current, loop: part } = useListening.getState();
                if (current) void player.play(current, from, part && from >= part[0] && from <= part[1] ? part : null);
              }}
              follows={(digest) => digest === heard?.opened.digest && !!heard?.title.startsWith(sound.name)}
              bands={limited}
              onEdge={(_, edge, at) => {
                const own = Number(at.toFixed(4));
                change(chain.map((step) => (step.id === chosen ? { ...step, ...(edge === "start" ? { start_s: own } : { end_s: own }) } : step)));
              }}
              label={`Waveform and spectrogram of ${sound.name}, ${state?.name ?? hearing}`}
            />
          </Box>
          <Box p="8px 14px" color="dim" fontSize="12px">
            Drag to mark and loop, click to play from there, wheel to zoom, double-click for all of it. The original stays as it is; steps are kept
            with the sound.
          </Box>
        </Flex>
      </Beside>
    </Flex>
  );
}
