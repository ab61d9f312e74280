/** A number on a line. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useRef, useState } from "react";
import { tell } from "./messages";
import { readNumber } from "./numbers";

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
  const track = useRef<HTMLDivElement>(null);
  const fine = step ?? 10 ** -digits;
  const clamp = (x: number) => Math.min(high, Math.max(low, x));
  const rounded = (x: number) => Number((Math.round(x / fine) * fine).toFixed(6));
  const share = log ? Math.log(value / low) / Math.log(high / low) : (value - low) / (high - low);
  const at = (x: number) => (log ? low * (high / low) ** x : low + (high - low) * x);
  const dragged = (event: PointerEvent) => {
    const box = track.current?.getBoundingClientRect();
    if (!box) return;
    onChange(clamp(rounded(at(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width))))), label);
  };
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
      <Flex justify="space-between" gap="6px" align="baseline" minH="20px">
        <Box color="dim" whiteSpace="nowrap">
          {label}
        </Box>
        {beside}
        {text === null ? (
          <chakra.button
            type="button"
            fontFamily="mono"
            fontSize="12px"
            whiteSpace="nowrap"
            cursor="text"
            onClick={() => setText("")}
            aria-label={`${label}: ${written}, type a value`}
          >
            {written}
          </chakra.button>
        ) : (
          <chakra.input
            autoFocus
            fontFamily="mono"
            fontSize="12px"
            w="76px"
            bg="ground"
            textAlign="right"
            borderRadius="4px"
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
      <Box
        ref={track}
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuenow={value}
        aria-valuetext={written}
        h="16px"
        position="relative"
        cursor="ew-resize"
        touchAction="none"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          dragged(event);
        }}
        onPointerMove={(event) => event.buttons && dragged(event)}
        onDoubleClick={() => normal !== undefined && onChange(normal, `${label} default`)}
        onKeyDown={keyed}
        title={normal === undefined ? undefined : "Double-click for the default"}
      >
        <Box position="absolute" top="7px" left={0} right={0} h="3px" borderRadius="2px" bg="line" />
        <Box position="absolute" top="7px" left={0} w={`${Math.min(1, Math.max(0, share)) * 100}%`} h="3px" borderRadius="2px" bg="glass" />
        <Box
          position="absolute"
          top="3px"
          left={`calc(${Math.min(1, Math.max(0, share)) * 100}% - 5px)`}
          w="11px"
          h="11px"
          borderRadius="full"
          bg="chalk"
        />
      </Box>
    </Box>
  );
}
