/** Buttons and the keys written on them. */
import { Box, type BoxProps, chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { type Act, KEYS, shown } from "./keys";

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
            aria-hidden
          >
            {shown(act)}
          </chakra.kbd>
        )}
      </chakra.button>
    </Box>
  );
}
