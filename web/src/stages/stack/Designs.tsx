/** Stack before a design is open: all of the project's, each with what it looks like. */
import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type Schemas } from "../../api/client";
import { MiniWave } from "../../canvas/MiniWave";
import { useShared } from "../../session/store";
import { Bare } from "../../ui/buttons";
import { seconds } from "../../ui/format";

type Design = Schemas["DesignView"];

const WAVE = 56;

function Card({ design }: { design: Design }) {
  const library = useShared((state) => state.library);
  const picture = useQuery({
    queryKey: ["design picture", library, design.id, design.revision],
    retry: false,
    queryFn: ({ signal }) => got(api.GET("/api/lib/{library}/designs/{id}/picture", { params: { path: { library, id: design.id } }, signal })),
  });
  const layers = design.mix.members?.length ?? 0;
  return (
    <Bare
      display="block"
      textAlign="left"
      p="12px 14px"
      bg="sheet"
      border="1px solid"
      borderColor="line"
      borderRadius="8px"
      onClick={() => useShared.setState({ design: design.id })}
    >
      <Flex justify="space-between" gap="10px" mb="8px">
        <Box fontSize="14px" fontWeight={600} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={design.name}>
          {design.name}
        </Box>
        <Box fontFamily="mono" fontSize="11px" color="dim" whiteSpace="nowrap" lineHeight="20px">
          {layers} {layers === 1 ? "layer" : "layers"}
          {picture.data?.outline ? `, ${seconds(picture.data.seconds)}` : ""}
        </Box>
      </Flex>
      <Box h={`${WAVE}px`} color="dim" fontSize="12px">
        {picture.data?.outline ? (
          <MiniWave outline={picture.data.outline} height={WAVE} />
        ) : picture.error ? (
          picture.error.message
        ) : picture.data ? (
          "Nothing of it is heard yet."
        ) : (
          "The waveform is being drawn …"
        )}
      </Box>
    </Bare>
  );
}

export function Designs({ list }: { list: Design[] }) {
  return (
    <SimpleGrid
      as="section"
      aria-label="Designs"
      gridTemplateColumns="repeat(auto-fill, minmax(300px, 1fr))"
      gap="14px"
      p="18px"
      overflowY="auto"
      alignContent="start"
      tabIndex={0}
    >
      {list.map((design) => (
        <Card key={design.id} design={design} />
      ))}
    </SimpleGrid>
  );
}
