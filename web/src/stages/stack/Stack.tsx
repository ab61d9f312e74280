import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { EMPTY_MIX } from "../../mix/fresh";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Bar, Empty, Title } from "../../ui/frames";
import { complain } from "../../ui/messages";
import { Bench } from "./Bench";
import { Designs } from "./Designs";
import { LoadBundle } from "./LoadBundle";
import { Perform } from "./Perform";

type Design = Schemas["DesignView"];

export default function Stack() {
  const library = useShared((state) => state.library);
  const number = useShared((state) => state.design);
  const designs = useQuery({
    queryKey: ["designs", library],
    staleTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/designs", { params: { path: { library } } })),
  });
  const [draft, setDraft] = useState<Design | null>(null);
  const [performing, setPerforming] = useState(false);
  const project = useShared((state) => state.project);
  const list = designs.data?.filter((design) => design.project === project);
  const wanted = draft?.id === number ? draft : list?.find((design) => design.id === number);
  // one that is not listed yet may be in the list that is on its way
  const waiting = !wanted && designs.isFetching;
  // one alone is what is wanted; of several one is chosen
  const chosen = wanted ?? (waiting || list?.length !== 1 ? undefined : list[0]);
  useEffect(() => {
    if (chosen && chosen.id !== number) useShared.setState({ design: chosen.id });
  }, [chosen, number]);
  const begin = async () => {
    try {
      const made = await got(
        api.POST("/api/lib/{library}/designs", {
          params: { path: { library } },
          body: { name: `Design ${(list?.length ?? 0) + 1}`, mix: EMPTY_MIX, project: useShared.getState().project },
        }),
      );
      setDraft(made);
      useShared.setState({ design: made.id });
      void queries.invalidateQueries({ queryKey: ["designs"] });
      void queries.invalidateQueries({ queryKey: ["counts"] });
    } catch (error) {
      complain(error);
    }
  };
  // as it is kept now, whatever the list was read from
  const open = useQuery({
    queryKey: ["design", library, chosen?.id],
    enabled: !!chosen,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/designs/{id}", { params: { path: { library, id: chosen?.id ?? 0 } } })),
  });
  const ways = (
    <Flex gap="8px">
      <Do main onClick={() => void begin()}>
        Begin a design
      </Do>
      <Do onClick={() => setPerforming(true)}>Perform</Do>
      <LoadBundle />
    </Flex>
  );
  if (!list || waiting) return null;
  if (performing) return <Perform design={chosen ?? null} onClose={() => setPerforming(false)} />;
  if (!chosen)
    return (
      <Flex direction="column" h="100%">
        <Bar>
          <Title>Stack</Title>
          <Box flex={1} />
          {!!list.length && ways}
        </Bar>
        {list.length ? (
          <Designs list={list} />
        ) : (
          <Empty action={ways}>
            Layers are lined up here on the strike line: each one's anchor lands on time zero. Begin a design, or choose a sound in Gather and press
            Y.
          </Empty>
        )}
      </Flex>
    );
  if (open.error)
    return (
      <Empty>
        <Box role="alert" color="coral">
          {open.error.message}
        </Box>
      </Empty>
    );
  if (open.data?.id !== chosen.id) return null;
  return <Bench key={chosen.id} design={open.data} designs={list} onNew={() => void begin()} onPerform={() => setPerforming(true)} />;
}
