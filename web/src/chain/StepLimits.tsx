/** Where a step is let in: a part of the time, channels, a band; with crossfades, and its tail cut or ringing out. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Step } from "../api/client";
import { Do } from "../ui/buttons";
import { ControlOf, Controls, useControl } from "../ui/controls";

/** A band that has no upper end reaches as far as there is any sound. */
const TOP = Number.POSITIVE_INFINITY;

function hz(value: number): string {
  return value >= 1000 ? `${(value / 1000).toFixed(1)} kHz` : `${Math.round(value)} Hz`;
}

/** A step's limits in a few words; empty when it is let in everywhere. */
export function limitsSaid(step: Step): string {
  const said: string[] = [];
  if (step.start_s != null || step.end_s != null) said.push(`${(step.start_s ?? 0).toFixed(2)} to ${step.end_s?.toFixed(2) ?? "end"} s`);
  if (step.channels?.length) said.push(step.channels.map((lane) => ["L", "R"][lane] ?? `channel ${lane + 1}`).join(" "));
  if (step.low_hz != null || step.high_hz != null) said.push(`${hz(step.low_hz ?? 0)} to ${step.high_hz != null ? hz(step.high_hz) : "top"}`);
  return said.length ? `only ${said.join(", ")}` : "";
}

export function StepLimits({
  step,
  marked,
  channels,
  onChange,
}: {
  step: Step;
  marked: [number, number] | null;
  channels: number;
  onChange: (limits: Partial<Step>, gesture?: string) => void;
}) {
  const [low, high] = [useControl("Step", "low_hz"), useControl("Step", "high_hz")];
  const said = limitsSaid(step);
  const [open, setOpen] = useState(!!said);
  if (!open)
    return (
      <Box>
        <Do quiet hint="Let the step in for a part of the time, some channels or a band only" onClick={() => setOpen(true)}>
          Limit it
        </Do>
      </Box>
    );
  const timed = step.start_s != null || step.end_s != null;
  const banded = step.low_hz != null || step.high_hz != null;
  return (
    <Flex direction="column" gap="6px" p="8px" borderRadius="7px" bg="sheet" role="group" aria-label="Where the step is let in">
      <Box fontSize="12px" color="dim">
        {said || "Let in everywhere"}
      </Box>
      <Flex gap="5px" wrap="wrap">
        <Do
          quiet
          disabled={!marked}
          hint={marked ? "Let the step in where the waveform is marked" : "Mark a part on the waveform first"}
          onClick={() => marked && onChange({ start_s: Number(marked[0].toFixed(4)), end_s: Number(marked[1].toFixed(4)) })}
        >
          To the mark
        </Do>
        {timed && (
          <Do quiet onClick={() => onChange({ start_s: null, end_s: null })}>
            All the time
          </Do>
        )}
        {!banded && (
          <Do quiet onClick={() => onChange({ low_hz: low?.begins ?? null, high_hz: high?.begins ?? null })}>
            To a band
          </Do>
        )}
        {banded && (
          <Do quiet onClick={() => onChange({ low_hz: null, high_hz: null })}>
            All frequencies
          </Do>
        )}
      </Flex>
      {timed && (
        <Controls<Step>
          model="Step"
          names={["fade_s", "tail"]}
          value={step}
          onChange={(values, gesture) => onChange(values, gesture && `fade ${gesture}`)}
        />
      )}
      {channels > 1 && (
        <Flex gap="5px" align="center" wrap="wrap">
          {Array.from({ length: channels }, (_, lane) => lane).map((lane) => {
            const chosen = step.channels ?? [];
            const on = !chosen.length || chosen.includes(lane);
            return (
              <Do
                key={lane}
                quiet
                on={chosen.length > 0 && on}
                hint="Let the step in on this channel only; all of them when none is chosen"
                onClick={() => {
                  const next = chosen.includes(lane) ? chosen.filter((one) => one !== lane) : [...chosen, lane].sort();
                  onChange({ channels: next.length === channels ? [] : next });
                }}
              >
                {channels === 2 ? ["Left", "Right"][lane] : `Channel ${lane + 1}`}
              </Do>
            );
          })}
        </Flex>
      )}
      {banded && (
        <>
          <ControlOf
            control={low}
            value={step.low_hz ?? null}
            onChange={(hz, gesture) => onChange({ low_hz: hz === null ? null : Math.min(Number(hz), (step.high_hz ?? TOP) * 0.8) }, `low ${gesture}`)}
          />
          <ControlOf
            control={high}
            value={step.high_hz ?? null}
            onChange={(hz, gesture) => onChange({ high_hz: hz === null ? null : Math.max(Number(hz), (step.low_hz ?? 0) * 1.25) }, `high ${gesture}`)}
          />
        </>
      )}
    </Flex>
  );
}
