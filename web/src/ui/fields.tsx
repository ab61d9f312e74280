/** Lines of text. */
import { Input as ChakraInput, Field, type InputProps } from "@chakra-ui/react";
import { type Ref, useEffect, useState } from "react";

type LineProps = InputProps & { label: string; mono?: boolean; ref?: Ref<HTMLInputElement> };

/** A line of text as it is typed. */
export function Input({ label, mono, ...rest }: LineProps) {
  return <ChakraInput aria-label={label} fontFamily={mono ? "mono" : undefined} fontSize={mono ? "12px" : undefined} {...rest} />;
}

interface NameProps extends Omit<LineProps, "onBlur" | "onKeyDown"> {
  /** A name was given; leaving the line, Escape and an empty one give none. */
  onNamed: (name: string) => void;
  onLeave: () => void;
}

/** A line that asks for a name in the place of what it names: Enter gives it. */
export function NameInput({ onNamed, onLeave, ...rest }: NameProps) {
  return (
    <Input
      autoFocus
      placeholder="Name, then Enter"
      onFocus={(event) => event.target.select()}
      {...rest}
      onBlur={onLeave}
      onKeyDown={(event) => {
        const name = event.currentTarget.value.trim();
        if (event.key !== "Enter" && event.key !== "Escape") return;
        onLeave();
        if (event.key === "Enter" && name) onNamed(name);
      }}
    />
  );
}

interface TextProps {
  label: string;
  value: string;
  onCommit: (value: string) => void;
  placeholder?: string;
  mono?: boolean;
  /** Its name stands before it. */
  named?: boolean;
}

/** A line of text that is committed by Enter or by leaving it. */
export function TextField({ label, value, onCommit, placeholder, mono, named }: TextProps) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const line = (
    <ChakraInput
      aria-label={named ? undefined : label}
      value={text}
      placeholder={placeholder}
      fontFamily={mono ? "mono" : undefined}
      fontSize={mono ? "12px" : undefined}
      onChange={(event) => setText(event.target.value)}
      onBlur={() => text !== value && onCommit(text)}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") {
          setText(value);
          event.currentTarget.blur();
        }
      }}
    />
  );
  if (!named) return line;
  return (
    <Field.Root orientation="horizontal" gap="8px">
      <Field.Label flex="0 0 62px" color="dim" fontSize="13px" fontWeight={400}>
        {label}
      </Field.Label>
      {line}
    </Field.Root>
  );
}
