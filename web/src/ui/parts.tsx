/** Small parts that every stage is made of. */
import { Box, type BoxProps, chakra, Flex } from "@chakra-ui/react";
import { type ComponentProps, type KeyboardEvent, type PointerEvent, type ReactNode, useEffect, useRef, useState } from "react";
import { tell } from "../session/store";
import { type Act, KEYS, shown } from "./keys";
import { readNumber } from "./numbers";

export function Key({ act }: { act: Act }) {
  return (
    <chakra.kbd
      fontFamily="mono"
      fontSize="10px"
      color="dim"
      border="1px solid"
      borderColor="line"
      borderRadius="4px"
      px="4px"
      lineHeight="15px"
      aria-hidden
    >
      {shown(act)}
    </chakra.kbd>
  );
}

interface DoProps extends Omit<BoxProps, "onClick"> {
  onClick: () => void;
  act?: Act;
  main?: boolean;
  on?: boolean;
  quiet?: boolean;
  disabled?: boolean;
  hint?: string;
  children: ReactNode;
}

/** A button: ``main`` is the amber one of the stage, ``on`` a pressed toggle. */
export function Do({ onClick, act, main, on, quiet, disabled, hint, children, ...rest }: DoProps) {
  return (
    <Box asChild {...rest}>
      <chakra.button
        type="button"
        onClick={onClick}
        disabled={disabled}
        title={hint ?? (act ? `${KEYS[act][1]} (${shown(act)})` : undefined)}
        aria-pressed={on}
        display="inline-flex"
        alignItems="center"
        gap="7px"
        flexShrink={0}
        px={quiet ? "5px" : "11px"}
        py={quiet ? "2px" : "5px"}
        borderRadius="8px"
        fontWeight={main ? 650 : 500}
        bg={main ? "amber" : on ? "amberSoft" : quiet ? "transparent" : "raised"}
        color={main ? "onAmber" : on ? "amber" : "chalk"}
        border="1px solid"
        borderColor={main ? "amber" : on ? "amber" : quiet ? "transparent" : "line"}
        cursor="pointer"
        whiteSpace="nowrap"
        _hover={{ borderColor: main ? "chalk" : "glass" }}
        _disabled={{ opacity: 0.45, cursor: "default", borderColor: "line" }}
      >
        {children}
        {act && !main && <Key act={act} />}
        {act && main && (
          <chakra.kbd
            fontFamily="mono"
            fontSize="10px"
            border="1px solid"
            borderColor="onAmber"
            borderRadius="4px"
            px="4px"
            lineHeight="15px"
            opacity={0.75}
            aria-hidden
          >
            {shown(act)}
          </chakra.kbd>
        )}
      </chakra.button>
    </Box>
  );
}

export function Title({ children }: { children: ReactNode }) {
  return (
    <chakra.h1 fontFamily="heading" fontSize="19px" fontWeight={650} whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis" minW={0}>
      {children}
    </chakra.h1>
  );
}

export function Heading({ children }: { children: ReactNode }) {
  return (
    <chakra.h2 color="dim" fontSize="12px" mt="2px" mb="4px">
      {children}
    </chakra.h2>
  );
}

/** The bar on top of a stage. */
export function Bar({ children, tall }: { children: ReactNode; tall?: boolean }) {
  return (
    <Flex
      minH="64px"
      h={tall ? undefined : "64px"}
      py={tall ? "10px" : undefined}
      flexShrink={0}
      align="center"
      gap="10px"
      px="18px"
      bg="sheet"
      borderBottom="1px solid"
      borderColor="line"
      overflow="hidden"
    >
      {children}
    </Flex>
  );
}

/** The right-hand side of a stage; ``foot`` stays in sight while the rest scrolls. */
export function Side({ children, width = "248px", label, foot }: { children: ReactNode; width?: string; label: string; foot?: ReactNode }) {
  return (
    <Flex as="aside" aria-label={label} direction="column" w={width} flexShrink={0} bg="sheet" borderLeft="1px solid" borderColor="line" minH={0}>
      <Flex direction="column" flex={1} minH={0} p="14px" gap="8px" overflowY="auto">
        {children}
      </Flex>
      {foot && (
        <Flex direction="column" gap="6px" p="10px 14px" borderTop="1px solid" borderColor="line" flexShrink={0}>
          {foot}
        </Flex>
      )}
    </Flex>
  );
}

export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Flex justify="space-between" gap="10px" minH="22px" align="center">
      <Box color="dim" flexShrink={0}>
        {name}
      </Box>
      <Box fontFamily="mono" fontSize="12px" textAlign="right" minW={0} overflow="hidden" textOverflow="ellipsis">
        {children}
      </Box>
    </Flex>
  );
}

export function Empty({ children, action }: { children: ReactNode; action?: ReactNode }) {
  return (
    <Flex direction="column" align="center" justify="center" gap="14px" flex={1} color="dim" p="30px" textAlign="center">
      <Box maxW="440px" fontSize="14px">
        {children}
      </Box>
      {action}
    </Flex>
  );
}

export function Line() {
  return <Box borderTop="1px solid" borderColor="line" my="4px" flexShrink={0} />;
}

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

/** A choice of few, side by side. */
export function Pick<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: readonly T[];
  onChange: (value: T) => void;
}) {
  return (
    <Box>
      <Box color="dim" mb="3px">
        {label}
      </Box>
      <Flex gap="5px" wrap="wrap" role="radiogroup" aria-label={label}>
        {options.map((option) => (
          <chakra.button
            key={option}
            type="button"
            role="radio"
            aria-checked={option === value}
            onClick={() => onChange(option)}
            px="7px"
            py="2px"
            fontFamily="mono"
            fontSize="11px"
            borderRadius="5px"
            cursor="pointer"
            bg={option === value ? "amber" : "raised"}
            color={option === value ? "onAmber" : "chalk"}
            fontWeight={option === value ? 650 : 400}
          >
            {option}
          </chakra.button>
        ))}
      </Flex>
    </Box>
  );
}

type InputProps = ComponentProps<typeof chakra.input> & { label: string; mono?: boolean };

/** A line of text as it is typed. */
export function Input({ label, mono, ...rest }: InputProps) {
  return (
    <chakra.input
      aria-label={label}
      bg="ground"
      border="1px solid"
      borderColor="line"
      borderRadius="6px"
      px="8px"
      py="4px"
      minW={0}
      fontFamily={mono ? "mono" : "body"}
      fontSize={mono ? "12px" : "13px"}
      _placeholder={{ color: "dim" }}
      {...rest}
    />
  );
}

/** A choice of many, folded. Options are [value, what it is called]. */
export function Choose({
  label,
  value,
  options,
  onChange,
  ...rest
}: Omit<BoxProps, "onChange"> & {
  label: string;
  value: string;
  options: readonly (readonly [string, string])[];
  onChange: (value: string) => void;
}) {
  return (
    <Box asChild bg="ground" border="1px solid" borderColor="line" borderRadius="6px" px="5px" py="3px" fontSize="12px" minW={0} {...rest}>
      <chakra.select aria-label={label} title={label} value={value} onChange={(event) => onChange(event.target.value)}>
        {options.map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </chakra.select>
    </Box>
  );
}

/** A line of text that is committed by Enter or by leaving it. */
export function TextField({
  label,
  value,
  onCommit,
  placeholder,
  mono,
}: {
  label: string;
  value: string;
  onCommit: (value: string) => void;
  placeholder?: string;
  mono?: boolean;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  return (
    <chakra.input
      aria-label={label}
      value={text}
      placeholder={placeholder}
      onChange={(event) => setText(event.target.value)}
      onBlur={() => text !== value && onCommit(text)}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") {
          setText(value);
          event.currentTarget.blur();
        }
      }}
      bg="ground"
      border="1px solid"
      borderColor="line"
      borderRadius="6px"
      px="8px"
      py="4px"
      w="100%"
      fontFamily={mono ? "mono" : "body"}
      fontSize={mono ? "12px" : "13px"}
      _placeholder={{ color: "dim" }}
    />
  );
}
