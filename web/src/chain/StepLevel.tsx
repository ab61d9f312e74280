/** The level behind a step, with what the step found; what clips or changes a lot says so, and offers the gain. */
import { Box, Flex } from "@chakra-ui/react";
import type { Schemas, Step } from "../api/client";
import { freshStep } from "../mix/fresh";
import { Do } from "../ui/buttons";
import { level } from "../ui/format";
import { Fact, Facts } from "../ui/frames";

type LevelAfter = Schemas["LevelAfter"];

const LOUD_CHANGE_DB = 6;

/** The level a chain begins with. */
export function LevelBefore({ levels, about }: { levels: LevelAfter[] | undefined; about?: boolean }) {
  return (
    <Facts>
      <Fact name="Before">
        {about && "about "}
        {level(levels?.[0]?.peak_dbfs)} dBFS, {level(levels?.[0]?.lufs, "LUFS")}
      </Fact>
    </Facts>
  );
}

/** A chain with a gain put in right behind one of its steps. */
export function withGainBehind(chain: Step[], step: Step, gain_db: number): Step[] {
  const at = chain.findIndex((one) => one.id === step.id) + 1;
  const gain = Math.max(-60, Math.min(36, Number(gain_db.toFixed(1))));
  return [...chain.slice(0, at), freshStep("gain", { gain_db: gain }), ...chain.slice(at)];
}

/** ``about`` says that the levels are estimated from a few parts of a long sound, while all of it is measured. */
export function StepLevel({
  step,
  levels,
  about,
  onGain,
}: {
  step: Step;
  levels: LevelAfter[] | undefined;
  about?: boolean;
  onGain: (gain_db: number) => void;
}) {
  if (!step.on) return "off";
  const at = levels?.findIndex((one) => one.step === step.id) ?? -1;
  const own = at >= 0 ? levels?.[at] : undefined;
  const before = at > 0 ? levels?.[at - 1] : undefined;
  if (!own) return "…";
  if (own.peak_dbfs === null) return "silent after this";
  const change = own.lufs !== null && before?.lufs != null ? own.lufs - before.lufs : 0;
  return (
    <Flex justify="space-between" gap="8px" wrap="wrap">
      {own.found && (
        <Box w="100%" color="glass">
          {own.found}
        </Box>
      )}
      <span>
        {about && "about "}
        {level(own.peak_dbfs)} dBFS, {level(own.lufs)} LUFS
      </span>
      {own.over ? (
        <Flex color="coral" align="center" gap="4px">
          over full scale by {level(own.peak_dbfs)} dB
          <Do quiet hint="Add a gain behind this step that brings it 0.3 dB under full scale" onClick={() => onGain(-((own.peak_dbfs ?? 0) + 0.3))}>
            lower it
          </Do>
        </Flex>
      ) : Math.abs(change) >= LOUD_CHANGE_DB ? (
        <Do quiet onClick={() => onGain(-change)} hint="Add a gain behind this step that makes up for it">
          <Box as="span" color="amber">
            {change > 0 ? "+" : ""}
            {change.toFixed(1)} dB: make up
          </Box>
        </Do>
      ) : null}
    </Flex>
  );
}
