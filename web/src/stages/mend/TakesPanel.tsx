/** The takes of a reel with what was found in them, the steps all of them are heard through, and how selects are named. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Step } from "../../api/client";
import { SavedChains } from "../../chain/SavedChains";
import { StepList } from "../../chain/StepList";
import { freshStep } from "../../mix/fresh";
import { Do } from "../../ui/buttons";
import { Controls } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { clock } from "../../ui/format";
import { Fact, Facts, Heading, Line, Side } from "../../ui/frames";
import type { Reel } from "./marks";
import type { EditedReel } from "./useReel";

interface TakeProps {
  take: EditedReel["view"]["takes"][number];
  edited: EditedReel;
  onPlay: (at: number) => void;
  onNoise: (take: number, part: [number, number]) => void;
  onStep: (kind: string) => void;
}

function Take({ take, edited: { suggested, waiting, reel }, onPlay, onNoise, onStep }: TakeProps) {
  const one = suggested[take.id];
  const count = (kind: string) => one?.found.filter((each) => each.kind === kind).length ?? 0;
  const quiet = one?.found.find((each) => each.kind === "quiet");
  const bumps = count("bump");
  const cut = one?.found.filter((each) => each.kind === "clipped").reduce((sum, each) => sum + each.strength, 0) ?? 0;
  return (
    <Box borderLeft="3px solid" borderColor="line" pl="8px" data-take={take.id}>
      <Flex justify="space-between" gap="8px">
        <Do quiet hint="Play from the start of this take" onClick={() => onPlay(take.start_s)}>
          {take.name}
        </Do>
        <Box fontFamily="mono" fontSize="11px" color="dim">
          {clock(take.seconds, 0)}
        </Box>
      </Flex>
      <Flex gap="4px" wrap="wrap" fontSize="12px" color="dim" align="center">
        {!one && (waiting ? "listening for events …" : "")}
        {one && (
          <Box as="span">
            {count("event")} events over {one.floor_dbfs.toFixed(0)} dBFS
          </Box>
        )}
        {quiet && !reel.marks.some((mark) => mark.take === take.id && mark.kind === "noise") && (
          <Do
            quiet
            hint="Mark a quiet stretch that was found as noise alone: the profile is learned from it"
            onClick={() => onNoise(take.id, [quiet.start_s, quiet.end_s])}
          >
            quiet at {quiet.start_s.toFixed(1)} s
          </Do>
        )}
        {one?.hum_hz && (
          <Do quiet hint="Put a step against it into the chain" onClick={() => onStep("hum")}>
            hum at {one.hum_hz.toFixed(2)} Hz
          </Do>
        )}
        {bumps > 0 && (
          <Do quiet hint="Put a step against them into the chain" onClick={() => onStep("bumps")}>
            {bumps} {bumps === 1 ? "bump" : "bumps"}
          </Do>
        )}
        {cut > 0 && (
          <Do quiet hint="Put a step that rebuilds them into the chain" onClick={() => onStep("clipped")}>
            {cut} cut {cut === 1 ? "peak" : "peaks"}
          </Do>
        )}
      </Flex>
    </Box>
  );
}

interface Props {
  edited: EditedReel;
  onPlay: (at: number) => void;
  onNoise: (take: number, part: [number, number]) => void;
}

export function TakesPanel({ edited, onPlay, onNoise }: Props) {
  const { view, reel, change } = edited;
  const [step, setStep] = useState<string | null>(null);
  const put = (kind: string, params: Record<string, unknown> = {}) => {
    if (reel.chain.some((one) => one.kind === kind)) return;
    const fresh = freshStep(kind, params);
    change({ chain: [...reel.chain, fresh] });
    setStep(fresh.id ?? null);
  };
  return (
    <Side label="Takes and their chain">
      <Heading>Takes</Heading>
      {view.takes.map((take) => (
        <Take key={take.id} take={take} edited={edited} onPlay={onPlay} onNoise={onNoise} onStep={put} />
      ))}
      <Controls<Reel> model="Reel" names={["gap_s", "shortest_s"]} value={reel} onChange={(values, gesture) => change(values, gesture)} />
      <Line />
      <Heading>Steps for all takes</Heading>
      <Box color="dim" fontSize="12px">
        A noise profile is learned from what is marked as noise, take by take; without a mark from its quietest stretch. Selects start with these
        steps.
      </Box>
      <StepList
        chain={reel.chain as Step[]}
        onChange={(chain, gesture) => change({ chain }, gesture)}
        chosen={step}
        onChoose={setStep}
        channels={Math.max(...view.takes.map((take) => take.channels))}
      />
      {!reel.chain.some((one) => one.kind === "noise_reduction") && (
        <Box>
          <Do quiet onClick={() => put("noise_reduction")}>
            Reduce noise
          </Do>
        </Box>
      )}
      <SavedChains chain={reel.chain as Step[]} onChange={(chain) => change({ chain })} />
      <Line />
      <Heading>Names of selects</Heading>
      <TextField label="Template for names of selects" value={reel.template} mono onCommit={(template) => change({ template })} />
      <Box color="dim" fontSize="12px">
        {"{code} {category} {place} {words} {take} {date} {number:2}"}
      </Box>
      <Facts>
        <Fact name="Noise marked">{clock(view.usable.noise_s, 1)}</Fact>
      </Facts>
    </Side>
  );
}
