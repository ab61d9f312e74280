/** Slice: a long sound is cut into one-shots. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useNavigate } from "react-router";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Bar, Empty, Title } from "../../ui/frames";
import { Board } from "./Board";

export default function Slice() {
  const library = useShared((state) => state.library);
  const number = useShared((state) => state.sliceSound);
  const go = useNavigate();
  const plans = useQuery({
    queryKey: ["plans", library],
    queryFn: () => got(api.GET("/api/lib/{library}/plans", { params: { path: { library } } })),
  });
  const first = plans.data?.[0]?.sound;
  useEffect(() => {
    if (number === null && first !== undefined) useShared.setState({ sliceSound: first });
  }, [number, first]);
  const view = useQuery({
    queryKey: ["plan", library, number],
    enabled: number !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/plans/{id}", { params: { path: { library, id: number ?? 0 } } })),
  });
  if (view.data) return <Board key={`${view.data.sound} ${JSON.stringify(view.data.node)}`} loaded={view.data} />;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>Slice</Title>
      </Bar>
      <Empty
        action={
          <Do main onClick={() => go("/gather")}>
            Choose a long sound in Gather
          </Do>
        }
      >
        {view.error ? (
          <Box role="alert" color="coral">
            {view.error.message}
          </Box>
        ) : number !== null ? (
          "Measuring the sound …"
        ) : (
          "A long sound is cut into one-shots here: slices are found from its measured noise floor, corrected by eye and ear, and finished alike. Choose a sound in Gather and press C."
        )}
      </Empty>
    </Flex>
  );
}
