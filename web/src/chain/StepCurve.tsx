/** A parameter of a step that moves: its points as text, with a small picture; the points count from where the chain's own time begins. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Control, Envelope, Step } from "../api/client";
import { envelopeAt, parsePoints, writePoints } from "../mix/envelope";
import { Do } from "../ui/buttons";
import { Pick } from "../ui/choices";
import { TextField } from "../ui/fields";
import { tell } from "../ui/messages";

const CURVES = ["lines", "eased", "steps"] as const;

function Picture({ envelope, low, high, log }: { envelope: Envelope; low: number; high: number; log: boolean }) {
  const { points } = envelope;
  const first = Math.min(0, points[0][0]);
  const last = Math.max(points[points.length - 1][0], first + 0.1) * 1.05;
  const share = (value: number) => (log ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low));
  const line = Array.from(
    { length: 101 },
    (_, i) => `${i} ${(30 - 28 * Math.min(1, Math.max(0, share(envelopeAt(envelope, first + (i / 100) * (last - first)))))).toFixed(1)}`,
  );
  return (
    <Box asChild w="100%" h="34px" color="amber" bg="sheet" borderRadius="5px">
      <svg viewBox="0 0 100 32" preserveAspectRatio="none" role="img" aria-label={`Curve from ${first.toFixed(2)} to ${last.toFixed(2)} s`}>
        <polyline points={line.join(" ")} fill="none" stroke="currentColor" strokeWidth="1.5" vectorEffect="non-scaling-stroke" />
      </svg>
    </Box>
  );
}

/** The parameters of a step that may move: those that follow a curve, and a button for each of the others. */
export function StepCurves({ step, controls, onChange }: { step: Step; controls: Control[]; onChange: (envelopes: Envelope[]) => void }) {
  const [begun, setBegun] = useState<string[]>([]);
  const follows = (control: Control) => begun.includes(control.name) || step.envelopes.some((one) => one.control === control.name);
  const still = controls.filter((control) => !follows(control));
  return (
    <>
      {controls.filter(follows).map((control) => (
        <StepCurve
          key={control.name}
          step={step}
          control={control}
          onChange={onChange}
          onEnd={() => setBegun(begun.filter((one) => one !== control.name))}
        />
      ))}
      {still.length > 0 && (
        <Flex gap="3px" wrap="wrap" align="baseline" role="group" aria-label="Curves" fontSize="12px">
          <Box color="dim">Curve of</Box>
          {still.map((control) => (
            <Do
              key={control.name}
              quiet
              onClick={() => setBegun([...begun, control.name])}
              hint={`Let ${control.label.toLowerCase()} follow a curve over time`}
            >
              {control.label.toLowerCase()}
            </Do>
          ))}
        </Flex>
      )}
    </>
  );
}

interface CurveProps {
  step: Step;
  control: Control;
  onChange: (envelopes: Envelope[]) => void;
  onEnd: () => void;
}

function StepCurve({ step, control, onChange, onEnd }: CurveProps) {
  const envelope = step.envelopes.find((one) => one.control === control.name);
  const others = step.envelopes.filter((one) => one.control !== control.name);
  const type = (text: string) => {
    const points = parsePoints(text);
    if (points === null) tell("Write points as seconds and value, with commas between: 0 -30, 0.5 -12.", true);
    else if (!points.length) onChange(others);
    else onChange([...others, { curve: "lines", on: true, ...envelope, control: control.name, points: points }]);
  };
  return (
    <Flex direction="column" gap="4px" pl="8px" borderLeft="2px solid" borderColor="amber">
      {envelope && envelope.points.length > 0 && (
        <Picture envelope={envelope} low={control.low ?? 0} high={control.high ?? 1} log={control.scale === "log" && (control.low ?? 0) > 0} />
      )}
      <TextField
        label={`Curve of ${control.label}`}
        placeholder={`seconds and ${control.unit || "value"}: 0 ${control.low ?? 0}, 1 ${control.high ?? 1}`}
        value={writePoints(envelope?.points ?? [])}
        onCommit={type}
        mono
      />
      {envelope && (
        <Flex justify="space-between" align="end">
          <Pick label="Between points" value={envelope.curve} options={CURVES} onChange={(curve) => onChange([...others, { ...envelope, curve }])} />
          <Do
            quiet
            onClick={() => {
              onEnd();
              onChange(others);
            }}
          >
            Remove curve
          </Do>
        </Flex>
      )}
    </Flex>
  );
}
