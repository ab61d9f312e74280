/** A chain as a list of steps: toggle, edit, move, duplicate, remove, add. Controls are built from the server's step registry. */
import { Box, Flex } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import type { Control, Step, StepView } from "../api/client";
import { freshId } from "../mix/fresh";
import { Bare, Do } from "../ui/buttons";
import { Turn } from "../ui/choices";
import { ControlOf, said } from "../ui/controls";
import { useKeys } from "../ui/keys";
import { tell } from "../ui/messages";
import { Beside } from "./Beside";
import { PluginPanel, passedOver, pluginName, usePlugins } from "./plugins";
import { StepCurves } from "./StepCurve";
import { limitsSaid, StepLimits } from "./StepLimits";
import { StepPicker } from "./StepPicker";
import { StepPicture } from "./StepPicture";
import { KeepSettings, NamedSettings } from "./StepSettings";
import { useStepKinds } from "./useStepKinds";

const USUAL_RATE = 48_000;

function setTo(step: Step, control: Control): unknown {
  return (step.params as Record<string, unknown>)[control.name] ?? control.default;
}

/** One line that says what a step does. */
export function summary(step: Step, kind: StepView | undefined): string {
  if (!kind) return "unknown here: passed over";
  const limits = [limitsSaid(step), step.envelopes.some((one) => one.on && one.points.length) ? "moving" : ""].filter(Boolean).join(", ");
  const set = kind.controls
    .filter((control) => {
      const value = setTo(step, control);
      if (control.control === "parts" || control.control === "skip") return false;
      return value !== null && (value !== control.default || control === kind.controls[0]);
    })
    .slice(0, 3)
    .map((control) => {
      const value = setTo(step, control);
      if (typeof value !== "number") return String(value) + (control.name === "slope" ? " dB/oct" : "");
      return said(control, value);
    })
    .join(", ");
  return limits ? `${limits}; ${set}` : set;
}

interface Props {
  chain: Step[];
  onChange: (chain: Step[], gesture?: string) => void;
  /** What stands after a step: its level, or a warning. */
  after?: (step: Step, index: number) => ReactNode;
  /** More in an opened step: the noise profile. */
  more?: (step: Step, change: (params: Record<string, unknown>, gesture?: string) => void) => ReactNode;
  /** The part marked on the waveform (s of the sound), which a step can be limited to; and the channels it has. */
  marked?: [number, number] | null;
  channels?: number;
  /** Of what goes through the chain (Hz): a picture of a filter depends on it. */
  rate?: number;
  /** The moment of the sound (s, in its own time) that is at the playhead; null where none can be told. */
  moment?: () => number | null;
  chosen: string | null;
  onChoose: (id: string | null) => void;
}

export function StepList({ chain, onChange, after, more, marked, channels, rate, moment, chosen, onChoose }: Props) {
  const kinds = useStepKinds();
  const plugins = usePlugins(chain.some((step) => step.kind === "plugin"));
  const [adding, setAdding] = useState(false);
  const [dragged, setDragged] = useState<number | null>(null);
  useKeys({
    addStep: () => setAdding((open) => !open),
    // without a chosen step these keys belong to the stage
    remove: chosen ? () => remove(chain.findIndex((step) => step.id === chosen)) : undefined,
    duplicate: chosen ? () => duplicate(chain.findIndex((step) => step.id === chosen)) : undefined,
  });
  const replace = (index: number, step: Step, gesture?: string) =>
    onChange(
      chain.map((one, i) => (i === index ? step : one)),
      gesture,
    );
  const remove = (index: number) => {
    onChoose(null);
    onChange(chain.filter((_, i) => i !== index));
  };
  const duplicate = (index: number) => {
    if (index < 0) return;
    const copy = { ...chain[index], id: freshId(chain[index].kind) };
    onChange([...chain.slice(0, index + 1), copy, ...chain.slice(index + 1)]);
    onChoose(copy.id);
  };
  const move = (from: number, to: number) => {
    if (to < 0 || to >= chain.length || from === to) return;
    const others = chain.filter((_, i) => i !== from);
    onChange([...others.slice(0, to), chain[from], ...others.slice(to)]);
  };
  const add = (steps: Step[]) => {
    onChange([...chain, ...steps]);
    // a single step is opened to be set; a chain is heard as it is
    onChoose(steps.length === 1 ? (steps[0].id ?? null) : null);
    setAdding(false);
  };
  return (
    <Flex direction="column" gap="6px">
      {chain.map((step, index) => {
        const kind = kinds[step.kind];
        const open = chosen === step.id;
        const over = passedOver(step, plugins);
        const label = pluginName(step, plugins) ?? kind?.label ?? step.kind;
        const changeParams = (params: Record<string, unknown>, gesture?: string) =>
          replace(index, { ...step, params: { ...step.params, ...params } }, gesture && `${step.id} ${gesture}`);
        return (
          <Box
            key={step.id || index}
            role="group"
            aria-label={`Step ${index + 1}, ${label}`}
            data-step={step.kind}
            border="1px solid"
            borderColor={open ? "amber" : kind && !over ? "line" : "coral"}
            borderRadius="8px"
            bg="ground"
            opacity={step.on ? 1 : 0.55}
            draggable={!open}
            onDragStart={() => setDragged(index)}
            onDragOver={(event) => event.preventDefault()}
            onDrop={(event) => {
              event.stopPropagation();
              event.preventDefault();
              if (dragged !== null) move(dragged, index);
              setDragged(null);
            }}
          >
            <Flex align="center" gap="8px" px="9px" h="31px">
              <Turn label={`${label} on`} hint="On or off" on={step.on} onChange={(on) => replace(index, { ...step, on })} />
              <Bare
                aria-expanded={open}
                onClick={() => onChoose(open ? null : step.id)}
                display="flex"
                flex={1}
                minW={0}
                gap="8px"
                justifyContent="space-between"
                alignItems="center"
                cursor="pointer"
              >
                <Box fontWeight={550} whiteSpace="nowrap">
                  {label}
                </Box>
                <Box color="dim" fontFamily="mono" fontSize="11px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                  {over ? "passed over" : step.kind === "plugin" ? "" : summary(step, kind)}
                </Box>
              </Bare>
            </Flex>
            {open && !kind && (
              <Flex direction="column" gap="6px" px="10px" pb="9px" color="dim" fontSize="12px">
                This version does not know steps called {step.kind}. It is kept as it is and passed over.
                <Flex justify="flex-end">
                  <Do quiet act="remove" onClick={() => remove(index)}>
                    Remove
                  </Do>
                </Flex>
              </Flex>
            )}
            {open && kind && (
              <Flex direction="column" gap="6px" px="10px" pb="9px">
                <Box color="dim" fontSize="12px" lineHeight="16px">
                  {kind.told}
                </Box>
                {kind.beside && <Beside step={step} what={kind.beside} onChange={(learned_on) => replace(index, { ...step, learned_on })} />}
                <NamedSettings
                  step={step}
                  named={kind.settings}
                  controls={kind.controls}
                  onChange={(params) => replace(index, { ...step, params })}
                />
                {step.kind === "plugin" && <PluginPanel step={step} onChange={changeParams} />}
                {kind.drawn && <StepPicture step={step} label={kind.label} rate={rate ?? USUAL_RATE} />}
                {more?.(step, changeParams)}
                {kind.controls.map((control) => (
                  <ControlOf
                    key={control.name}
                    control={control}
                    value={setTo(step, control)}
                    onChange={(value, gesture) => changeParams({ [control.name]: value }, gesture)}
                    beside={
                      control.place && moment ? (
                        <Do
                          quiet
                          hint="Take the moment of the sound that is at the playhead"
                          onClick={() => {
                            const at = moment();
                            if (at === null)
                              tell(
                                "Which moment of the sound is at the playhead cannot be told here; turn off steps that change its length, or type it.",
                              );
                            else changeParams({ [control.name]: Number(Math.max(control.low ?? 0, at).toFixed(4)) });
                          }}
                        >
                          playhead
                        </Do>
                      ) : undefined
                    }
                  />
                ))}
                <StepCurves
                  step={step}
                  controls={kind.controls.filter((control) => control.moving)}
                  onChange={(envelopes) => replace(index, { ...step, envelopes })}
                />
                {kind.keeps_time && (
                  <StepLimits
                    step={step}
                    marked={marked ?? null}
                    channels={channels ?? 0}
                    onChange={(limits, gesture) => replace(index, { ...step, ...limits }, gesture && `${step.id} ${gesture}`)}
                  />
                )}
                <Flex gap="4px" justify="flex-end" wrap="wrap">
                  <KeepSettings step={step} />
                  <Do quiet disabled={index === 0} onClick={() => move(index, index - 1)} hint="Move one step earlier; steps can be dragged too">
                    Earlier
                  </Do>
                  <Do quiet disabled={index === chain.length - 1} onClick={() => move(index, index + 1)}>
                    Later
                  </Do>
                  <Do quiet act="duplicate" onClick={() => duplicate(index)}>
                    Duplicate
                  </Do>
                  <Do quiet act="remove" onClick={() => remove(index)}>
                    Remove
                  </Do>
                </Flex>
              </Flex>
            )}
            {after && (
              <Box px="9px" pb="5px" fontFamily="mono" fontSize="11px" color="dim">
                {over && step.on ? "passed over" : after(step, index)}
              </Box>
            )}
          </Box>
        );
      })}
      {adding ? (
        <StepPicker kinds={kinds} onAdd={add} onClose={() => setAdding(false)} />
      ) : (
        <Box>
          <Do act="addStep" onClick={() => setAdding(true)}>
            Add step
          </Do>
        </Box>
      )}
    </Flex>
  );
}
