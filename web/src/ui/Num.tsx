/** A number on a line. */
import { Box, Flex, Input, Slider } from "@chakra-ui/react";
import { type KeyboardEvent, type ReactNode, useState } from "react";
import { Bare } from "./buttons";
import { tell } from "./messages";
import { readNumber } from "./numbers";

/** Steps of the line's own scale from end to end; the value itself is rounded to the control's step. */
const TRACK = 2000;

interface NumProps {
  label: string;
  value: number;
  onChange: (value: number, gesture: string) => void;
  low: number;
  high: number;
  unit?: string;
  step?: number;
  digits?: number;
  normal?: number;
  log?: boolean;
  wide?: boolean;
  format?: (value: number) => string;
  /** What stands between the name and the value. */
  beside?: ReactNode;
  /** What the document takes, where that is more than the line shows: typed values go as far. */
  lowest?: number;
  highest?: number;
}

/** A number that is dragged along its line, typed with its unit, moved with arrows, and double-clicked back to its default. */
export function Num({
  label,
  value,
  onChange,
  low,
  high,
  unit = "",
  step,
  digits = 1,
  normal,
  log,
  wide,
  format,
  beside,
  lowest = low,
  highest = high,
}: NumProps) {
  const [text, setText] = useState<string | null>(null);
  const fine = step ?? 10 ** -digits;
  const clamp = (x: number) => Math.min(high, Math.max(low, x));
  const rounded = (x: number) => Number((Math.round(x / fine) * fine).toFixed(6));
  const share = log ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low);
  const at = (x: number) => (log ? low * (high / low) ** x : low + (high - low) * x);
  const keyed = (event: KeyboardEvent) => {
    const by = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key];
    if (by) {
      event.preventDefault();
      event.stopPropagation();
      onChange(clamp(rounded(log ? value * 1.02 ** (by * (event.shiftKey ? 10 : 1)) : value + by * fine * (event.shiftKey ? 10 : 1))), label);
    } else if (event.key === "Enter" || /^[\d.+-]$/.test(event.key)) {
      event.preventDefault();
      event.stopPropagation();
      setText(event.key === "Enter" ? "" : event.key);
    }
  };
  const commit = () => {
    const read = text === null || text.trim() === "" ? null : readNumber(text, unit, lowest, highest);
    if (read !== null && "sentence" in read) tell(`${label}: ${read.sentence}`, true);
    else if (read !== null) onChange(read.value, `${label} typed`);
    setText(null);
  };
  const written = format ? format(value) : `${value.toFixed(digits)}${unit ? ` ${unit}` : ""}`;
  return (
    <Box w={wide ? "100%" : undefined}>
      <Flex justify="space-between" wrap={beside ? "wrap" : undefined} columnGap="6px" align="baseline" minH="20px">
        <Box color="dim" whiteSpace="nowrap">
          {label}
        </Box>
        {beside}
        {text === null ? (
          <Bare fontFamily="mono" fontSize="12px" cursor="text" onClick={() => setText("")} aria-label={`${label}: ${written}, type a value`}>
            {written}
          </Bare>
        ) : (
          <Input
            autoFocus
            size="2xs"
            w="76px"
            placeholder={written}
            value={text}
            aria-label={label}
            onChange={(event) => setText(event.target.value)}
            onBlur={commit}
            onKeyDown={(event) => {
              event.stopPropagation();
              if (event.key === "Enter") commit();
              if (event.key === "Escape") setText(null);
            }}
          />
        )}
      </Flex>
      <Slider.Root
        aria-label={[label]}
        min={0}
        max={TRACK}
        step={1}
        value={[Math.round(Math.min(1, Math.max(0, share)) * TRACK)]}
        onValueChange={({ value: [place] }) => onChange(clamp(rounded(at(place / TRACK))), label)}
        onDoubleClick={() => normal !== undefined && onChange(normal, `${label} default`)}
        title={normal === undefined ? undefined : "Double-click for the default"}
      >
        <Slider.Control>
          <Slider.Track>
            <Slider.Range />
          </Slider.Track>
          <Slider.Thumb index={0} aria-valuemin={low} aria-valuemax={high} aria-valuenow={value} aria-valuetext={written} onKeyDownCapture={keyed} />
        </Slider.Control>
      </Slider.Root>
    </Box>
  );
}
