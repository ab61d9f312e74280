import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Freedom, Schemas } from "../../api/client";
import { Bare, Do } from "../../ui/buttons";
import { useModels } from "../../ui/controls";
import { Input } from "../../ui/fields";
import { Heading } from "../../ui/frames";
import { tell } from "../../ui/messages";
import { readNumber } from "../../ui/numbers";

type Mix = Schemas["Mix"];
function Bound({
  label,
  value,
  unit,
  digits,
  onCommit,
}: {
  label: string;
  value: number;
  unit: string;
  digits: number;
  onCommit: (value: number) => void;
}) {
  const [text, setText] = useState<string | null>(null);
  const commit = () => {
    const read = text === null ? null : readNumber(text, unit, Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY);
    setText(null);
    if (read !== null && "sentence" in read) tell(`${label}: ${read.sentence}`, true);
    else if (read !== null) onCommit(read.value);
  };
  return (
    <Input
      label={label}
      mono
      value={text ?? `${value > 0 && unit !== "×" ? "+" : ""}${value.toFixed(digits)}${unit ? ` ${unit}` : ""}`}
      onChange={(event) => setText(event.target.value)}
      onFocus={(event) => event.target.select()}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setText(null);
        const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
        if (by) {
          event.preventDefault();
          onCommit(Number((value + by * 10 ** -digits * (event.shiftKey ? 10 : 1)).toFixed(digits)));
        }
      }}
      w="72px"
      px="5px"
      textAlign="center"
    />
  );
}

/** What may move: ranges around the design's own values. */
export function RecipeView({ mix, recipe, onChange }: { mix: Mix | null; recipe: Schemas["Recipe"]; onChange: (freedoms: Freedom[]) => void }) {
  const [freeing, setFreeing] = useState<string | null>(null);
  const controls = useModels()?.Freeing?.controls ?? [];
  const freedoms = recipe.freedoms;
  const replace = (old: Freedom, fresh: Freedom | null) => onChange(freedoms.flatMap((one) => (one === old ? (fresh ? [fresh] : []) : [one])));
  return (
    <Flex as="section" aria-label="What may move" direction="column" flex={1} minH={0} bg="sheet" p="14px" gap="10px" overflowY="auto">
      <Heading>What may move, around the design</Heading>
      {mix?.members.map((member) => {
        const own = freedoms.filter((one) => one.layer === member.id);
        const rest = controls.filter((control) => !own.some((one) => one.control === control.name));
        return (
          <Box key={member.id} borderLeft="3px solid" borderColor={own.length ? "glass" : "line"} pl="9px" role="group" aria-label={member.name}>
            <Flex justify="space-between" align="center" gap="6px">
              <Box fontWeight={550} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {member.name}
              </Box>
              {rest.length > 0 && (
                <Do quiet onClick={() => setFreeing(freeing === member.id ? null : member.id)} hint="Free another control of this layer">
                  <Box as="span" color="dim" fontSize="12px">
                    {own.length ? "free …" : "held still, free …"}
                  </Box>
                </Do>
              )}
            </Flex>
            {freeing === member.id && (
              <Flex gap="4px" wrap="wrap" my="4px">
                {rest.map((control) => (
                  <Do
                    key={control.name}
                    quiet
                    onClick={() => {
                      setFreeing(null);
                      const [low, high] = control.usual ?? [0, 0];
                      onChange([...freedoms, { layer: member.id, control: control.name as Freedom["control"], low, high, shape: "bell" }]);
                    }}
                  >
                    {control.label}
                  </Do>
                ))}
              </Flex>
            )}
            {own.map((one) => {
              const control = controls.find((known) => known.name === one.control);
              if (!control) return null;
              const set = (edge: "low" | "high", value: number) => {
                const raw = value / control.shown;
                const fresh = { ...one, [edge]: raw };
                if (fresh.low > fresh.high) fresh[edge === "low" ? "high" : "low"] = raw;
                replace(one, fresh);
              };
              return (
                <Flex key={one.control} align="center" gap="5px" minH="27px">
                  <Box color="dim" w="48px">
                    {control.label}
                  </Box>
                  <Bound
                    label={`${member.name} ${control.label} from`}
                    value={one.low * control.shown}
                    unit={control.unit}
                    digits={control.digits}
                    onCommit={(value) => set("low", value)}
                  />
                  <Bound
                    label={`${member.name} ${control.label} to`}
                    value={one.high * control.shown}
                    unit={control.unit}
                    digits={control.digits}
                    onCommit={(value) => set("high", value)}
                  />
                  <Bare
                    title={one.shape === "bell" ? "Prefers the middle; change to even" : "Every value alike; change to middle"}
                    aria-label={`${member.name} ${control.label}: ${one.shape}`}
                    onClick={() => replace(one, { ...one, shape: one.shape === "bell" ? "even" : "bell" })}
                    cursor="pointer"
                    color="glass"
                  >
                    <svg width="18" height="12" viewBox="0 0 18 12" aria-hidden="true">
                      {one.shape === "bell" ? (
                        <path d="M1 11c5 0 5-9 8-9s3 9 8 9z" fill="currentColor" />
                      ) : (
                        <rect x="2" y="3" width="14" height="8" fill="currentColor" />
                      )}
                    </svg>
                  </Bare>
                  <Bare
                    aria-label={`Hold ${member.name} ${control.label} still`}
                    title="Hold still"
                    onClick={() => replace(one, null)}
                    color="dim"
                    cursor="pointer"
                  >
                    ×
                  </Bare>
                </Flex>
              );
            })}
          </Box>
        );
      })}
    </Flex>
  );
}
