import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import { Do } from "../ui/buttons";
import { Title } from "../ui/frames";
import { type Act, KEYS, shown, useKeys } from "../ui/keys";

/** All keys; they mean the same in every stage. */
export function KeyList({ onClose }: { onClose: () => void }) {
  useKeys({ leave: onClose }, { over: true });
  return (
    <Flex position="fixed" inset={0} zIndex={40} align="center" justify="center" bg="ground/80" onClick={onClose}>
      <Box
        role="dialog"
        aria-label="Keys"
        bg="sheet"
        border="1px solid"
        borderColor="line"
        borderRadius="12px"
        p="22px"
        maxW="860px"
        onClick={(event) => event.stopPropagation()}
      >
        <Flex justify="space-between" mb="14px">
          <Title>Keys, the same in every stage</Title>
          <Do quiet act="leave" onClick={onClose}>
            Close
          </Do>
        </Flex>
        <SimpleGrid columns={3} columnGap="28px" rowGap="4px">
          {(Object.keys(KEYS) as Act[]).map((act) => (
            <Flex key={act} justify="space-between" gap="12px">
              <Box color="dim">{KEYS[act][1]}</Box>
              <Box fontFamily="mono" fontSize="12px" whiteSpace="nowrap">
                {shown(act)}
              </Box>
            </Flex>
          ))}
        </SimpleGrid>
      </Box>
    </Flex>
  );
}
