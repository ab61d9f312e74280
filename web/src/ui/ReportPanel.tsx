/** What became of a job over many sounds, over the stage until it is closed. */
import { Box, Flex } from "@chakra-ui/react";
import type { ReactNode } from "react";
import { Do } from "./buttons";
import { Heading } from "./frames";
import { useKeys } from "./keys";

interface Props {
  label: string;
  title: string;
  bad?: boolean;
  /** Beside Close. */
  more?: ReactNode;
  onClose: () => void;
  children: ReactNode;
}

export function ReportPanel({ label, title, bad = false, more, onClose, children }: Props) {
  useKeys({ leave: onClose }, { over: true });
  return (
    <Flex
      role="region"
      aria-label={label}
      direction="column"
      position="absolute"
      right="14px"
      bottom="14px"
      w="560px"
      maxH="70%"
      p="14px"
      gap="8px"
      bg="raised"
      border="1px solid"
      borderColor={bad ? "coral" : "line"}
      borderRadius="10px"
      zIndex={15}
    >
      <Flex gap="8px" align="center">
        <Heading>{title}</Heading>
        <Box flex={1} />
        {more}
        <Do quiet act="leave" onClick={onClose}>
          Close
        </Do>
      </Flex>
      {children}
    </Flex>
  );
}
