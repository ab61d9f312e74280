/** Buttons and the keys written on them. */
import { Button, type ButtonProps, Kbd } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { type Act, KEYS, shown } from "./keys";

export function Key({ act, onMain }: { act: Act; onMain?: boolean }) {
  return (
    <Kbd variant={onMain ? "plain" : "outline"} aria-hidden>
      {shown(act)}
    </Kbd>
  );
}

interface DoProps extends Omit<ButtonProps, "onClick" | "variant"> {
  /** Left out where a trigger around it gives it. */
  onClick?: () => void;
  act?: Act;
  main?: boolean;
  on?: boolean;
  quiet?: boolean;
  hint?: string;
  children: ReactNode;
}

/** A button: ``main`` is the amber one of the stage, ``on`` a pressed toggle. */
export function Do({ onClick, act, main, on, quiet, hint, children, ...rest }: DoProps) {
  return (
    <Button
      type="button"
      variant={main ? "solid" : quiet ? "ghost" : "outline"}
      size={quiet ? "xs" : "sm"}
      onClick={onClick}
      title={hint ?? (act ? `${KEYS[act][1]} (${shown(act)})` : undefined)}
      aria-pressed={on}
      {...rest}
    >
      {children}
      {act && <Key act={act} onMain={main} />}
    </Button>
  );
}

/** A button that looks like what it stands in: a name, a header, a swatch. */
export function Bare(props: ButtonProps) {
  return <Button type="button" variant="plain" {...props} />;
}
