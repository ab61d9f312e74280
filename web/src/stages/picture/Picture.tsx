import { Flex } from "@chakra-ui/react";
import { Bar, Empty, Title } from "../../ui/frames";

/** Picture has its place; what it will do is said, nothing pretends to work. */
export default function Picture() {
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>Picture</Title>
      </Bar>
      <Empty>
        This stage is still to come. Here a video will be opened, its cues listed, and sounds and designs placed on the frame with their anchors; the
        mix, stems, cue sheet and edit list will be handed over from here. Until then designs are built in Stack and files leave by Ship.
      </Empty>
    </Flex>
  );
}
