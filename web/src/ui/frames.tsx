/** What a stage is laid out with: bar, side, headings, facts. */
import { Box, chakra, DataList, EmptyState, Flex, VisuallyHidden } from "@chakra-ui/react";
import type { ReactNode } from "react";

export function Title({ children }: { children: ReactNode }) {
  return (
    <chakra.h1 fontFamily="heading" fontSize="19px" fontWeight={650} whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis" minW={0}>
      {children}
    </chakra.h1>
  );
}

/** The title of a page whose name stands in a line that is edited: spoken, not seen. */
export function SpokenTitle({ children }: { children: ReactNode }) {
  return (
    <VisuallyHidden asChild>
      <h1>{children}</h1>
    </VisuallyHidden>
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

/** The right-hand side of a stage, in a pane of its own; ``foot`` stays in sight while the rest scrolls. */
export function Side({ children, label, foot }: { children: ReactNode; label: string; foot?: ReactNode }) {
  return (
    <Flex as="aside" aria-label={label} direction="column" flex={1} minW={0} bg="sheet" minH={0}>
      {/* it scrolls: what is drawn in it does not give way */}
      <Flex direction="column" flex={1} minH={0} p="14px" gap="8px" overflowY="auto" css={{ "& > svg": { flexShrink: 0 } }}>
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

/** Facts one under the other. */
export function Facts({ children }: { children: ReactNode }) {
  return (
    <DataList.Root orientation="horizontal" gap={0} w="100%">
      {children}
    </DataList.Root>
  );
}

export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <DataList.Item justifyContent="space-between" gap="10px" minH="22px" alignItems="center">
      <DataList.ItemLabel color="dim" flexShrink={0} minW={0} fontSize="13px">
        {name}
      </DataList.ItemLabel>
      <DataList.ItemValue
        display="block"
        flex="0 1 auto"
        fontFamily="mono"
        fontSize="12px"
        textAlign="right"
        minW={0}
        overflow="hidden"
        textOverflow="ellipsis"
      >
        {children}
      </DataList.ItemValue>
    </DataList.Item>
  );
}

export function Empty({ children, action }: { children: ReactNode; action?: ReactNode }) {
  return (
    <EmptyState.Root flex={1} display="grid" placeItems="center" p="30px">
      <EmptyState.Content gap="14px">
        <EmptyState.Description maxW="440px" fontSize="14px" color="dim">
          {children}
        </EmptyState.Description>
        {action}
      </EmptyState.Content>
    </EmptyState.Root>
  );
}

export function Line() {
  return <Box borderTop="1px solid" borderColor="line" my="4px" flexShrink={0} />;
}
