/** A chain as a list of steps: toggle, edit, move, duplicate, remove, add. Controls are built from the server's step registry. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Fragment, type ReactNode, useState } from "react";
import { api, type Control, got, type Step, type StepView } from "../api/client";
import { useKeys } from "./keys";
import { Do, Num, Pick } from "./parts";
import { StepCurve } from "./StepCurve";
import { limitsSaid, StepLimits } from "./StepLimits";
import { StepSettings } from "./StepSettings";
import { freshId, freshStep } from "./send";

export function useStepKinds(): Record<string, StepView> {
  const steps = useQuery({ queryKey: ["steps"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/steps")) });
  return Object.fromEntries((steps.data ?? []).map((kind) => [kind.key, kind]));
}

function setTo(step: Step, control: Control): unknown {
  return (step.params as Record<string, unknown>)[control.name] ?? control.default;
}

function digits(control: Control): number {
  if (typeof control.digits === "number") return control.digits;
  if (control.unit === "Hz" || control.unit === "ms") return control.unit === "Hz" ? 0 : 1;
  return control.unit === "s" || control.unit === "×" || control.unit === "" ? 2 : 1;
}

/** One line that says what a step does. */
export function summary(step: Step, kind: StepView | undefined): string {
  if (!kind) return "unknown here: passed over";
  const limits = [limitsSaid(step), step.envelopes.some((one) => one.on && one.points.length) ? "moving" : ""].filter(Boolean).join(", ");
  const said = kind.controls
    .filter((control) => {
      const value = setTo(step, control);
      if (control.control === "parts" || control.control === "skip") return false;
      return value !== null && (value !== control.default || control === kind.controls[0]);
    })
    .slice(0, 3)
    .map((control) => {
      const value = setTo(step, control);
      if (typeof value !== "number") return String(value) + (control.name === "slope" ? " dB/oct" : "");
      return `${value.toFixed(digits(control))}${control.unit ? ` ${control.unit}` : ""}`;
    })
    .join(", ");
  return limits ? `${limits}; ${said}` : said;
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
  chosen: string | null;
  onChoose: (id: string | null) => void;
}

export function StepList({ chain, onChange, after, more, marked, channels, chosen, onChoose }: Props) {
  const kinds = useStepKinds();
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
  const add = (kind: StepView) => {
    const step = freshStep(kind.key);
    onChange([...chain, step]);
    onChoose(step.id);
    setAdding(false);
  };
  const families = [...new Set(Object.values(kinds).map((kind) => kind.family))];
  return (
    <Flex direction="column" gap="6px">
      {chain.map((step, index) => {
        const kind = kinds[step.kind];
        const open = chosen === step.id;
        const changeParams = (params: Record<string, unknown>, gesture?: string) =>
          replace(index, { ...step, params: { ...step.params, ...params } }, gesture && `${step.id} ${gesture}`);
        return (
          <Box
            key={step.id || index}
            role="group"
            aria-label={`Step ${index + 1}, ${kind?.label ?? step.kind}`}
            data-step={step.kind}
            border="1px solid"
            borderColor={open ? "amber" : kind ? "line" : "coral"}
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
              <chakra.button
                type="button"
                role="switch"
                aria-checked={step.on}
                aria-label={`${kind?.label ?? step.kind} on`}
                title="On or off"
                onClick={() => replace(index, { ...step, on: !step.on })}
                w="11px"
                h="11px"
                borderRadius="full"
                border="2px solid"
                borderColor={step.on ? "glass" : "faint"}
                bg={step.on ? "glass" : "transparent"}
                flexShrink={0}
                cursor="pointer"
              />
              <chakra.button
                type="button"
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
                  {kind?.label ?? step.kind}
                </Box>
                <Box color="dim" fontFamily="mono" fontSize="11px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                  {summary(step, kind)}
                </Box>
              </chakra.button>
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
                {more?.(step, changeParams)}
                {kind.controls.map((control) =>
                  control.control === "choice" ? (
                    <Pick
                      key={control.name}
                      label={control.label}
                      value={String(setTo(step, control))}
                      options={control.options ?? []}
                      onChange={(value) => changeParams({ [control.name]: value })}
                    />
                  ) : control.control === "number" ? (
                    <Fragment key={control.name}>
                      <Num
                        label={control.label}
                        value={setTo(step, control) as number}
                        low={control.low ?? 0}
                        high={control.high ?? 1}
                        unit={control.unit}
                        digits={digits(control)}
                        normal={control.default as number}
                        log={control.scale === "log" && (control.low ?? 0) > 0}
                        onChange={(value, gesture) => changeParams({ [control.name]: value }, gesture)}
                      />
                      {control.moving && <StepCurve step={step} control={control} onChange={(envelopes) => replace(index, { ...step, envelopes })} />}
                    </Fragment>
                  ) : null,
                )}
                {kind.keeps_time && !kind.whole && (
                  <StepLimits
                    step={step}
                    marked={marked ?? null}
                    channels={channels ?? 0}
                    onChange={(limits, gesture) => replace(index, { ...step, ...limits }, gesture && `${step.id} ${gesture}`)}
                  />
                )}
                <StepSettings step={step} onChange={(params) => replace(index, { ...step, params })} />
                <Flex gap="4px" justify="flex-end" wrap="wrap">
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
                {after(step, index)}
              </Box>
            )}
          </Box>
        );
      })}
      {adding ? (
        <Box
          role="menu"
          aria-label="Steps to add"
          ref={(menu: HTMLDivElement | null) => {
            // opened by key it is used by keys: arrows, first letters, Enter, Escape
            if (menu && !menu.contains(document.activeElement)) menu.querySelector<HTMLElement>("[role=menuitem]")?.focus();
          }}
          onKeyDown={(event) => {
            const items = [...event.currentTarget.querySelectorAll<HTMLElement>("[role=menuitem]")];
            const at = items.indexOf(document.activeElement as HTMLElement);
            const letter = event.key.length === 1 && !event.ctrlKey && !event.metaKey ? event.key.toLowerCase() : "";
            const rest = [...items.slice(at + 1), ...items.slice(0, at + 1)];
            const next = { ArrowDown: rest[0], ArrowRight: rest[0], ArrowUp: items.at(at - 1), ArrowLeft: items.at(at - 1) }[event.key];
            const meant = next ?? (letter.trim() ? rest.find((item) => item.textContent?.toLowerCase().startsWith(letter)) : undefined);
            meant?.focus();
            if (event.key === "Escape") setAdding(false);
            if (meant || letter.trim() || event.key === "Escape") {
              event.preventDefault();
              event.stopPropagation();
            }
          }}
          border="1px solid"
          borderColor="line"
          borderRadius="8px"
          p="8px"
          bg="raised"
        >
          {families.map((family) => (
            <Flex key={family} gap="4px" wrap="wrap" mb="5px" align="baseline">
              <Box color="dim" w="48px" fontSize="12px">
                {family}
              </Box>
              {Object.values(kinds)
                .filter((kind) => kind.family === family)
                .map((kind) => (
                  <chakra.button
                    key={kind.key}
                    type="button"
                    role="menuitem"
                    onClick={() => add(kind)}
                    px="6px"
                    py="2px"
                    borderRadius="5px"
                    bg="ground"
                    cursor="pointer"
                    _hover={{ color: "amber" }}
                  >
                    {kind.label}
                  </chakra.button>
                ))}
            </Flex>
          ))}
        </Box>
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
