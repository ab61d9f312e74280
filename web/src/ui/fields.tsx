/** Lines of text. */
import { chakra } from "@chakra-ui/react";
import { type ComponentProps, useEffect, useState } from "react";

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
