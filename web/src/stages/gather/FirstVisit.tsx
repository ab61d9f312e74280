import { Box, Flex, Link } from "@chakra-ui/react";
import { useState } from "react";
import { Do } from "../../ui/buttons";
import { Heading } from "../../ui/frames";

const SEEN = "seen";

/** What Oskren is for, until it was read. */
export function FirstVisit() {
  const [seen, setSeen] = useState(() => localStorage.getItem(SEEN) !== null);
  if (seen) return null;
  const close = () => {
    localStorage.setItem(SEEN, "yes");
    setSeen(true);
  };
  return (
    <Flex as="section" aria-label="First visit" direction="column" gap="8px" pb="12px" mb="4px" borderBottom="1px solid" borderColor="line">
      <Heading>Your first visit</Heading>
      <Box>
        Sounds come in here; Mend cleans them, Stack layers them into effects, Vary draws variations, Slice cuts takes, Ship writes the files. No
        original is ever changed, and every step can be taken back. Begin with a sound: press an arrow key, then Y to build on what you hear.
      </Box>
      <Flex gap="6px" align="center">
        <Link href="/guide" target="_blank" color="glass" flex={1}>
          The job with pictures
        </Link>
        <Do quiet onClick={close}>
          Close
        </Do>
      </Flex>
    </Flex>
  );
}
