import { Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, got, type Schemas } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Bar, Empty, Title } from "../../ui/frames";
import { Board } from "./Board";
import { useKeptRecipe, useRecipe } from "./useRecipe";

export type Spread = Schemas["SpreadView"];
type Design = Schemas["DesignView"];

export default function Vary() {
  const library = useShared((state) => state.library);
  const number = useShared((state) => state.spread);
  const designNumber = useShared((state) => state.design);
  const go = useNavigate();
  const spreads = useQuery({
    queryKey: ["spreads", library],
    queryFn: () => got(api.GET("/api/lib/{library}/spreads", { params: { path: { library } } })),
  });
  const designs = useQuery({
    queryKey: ["designs", library],
    queryFn: () => got(api.GET("/api/lib/{library}/designs", { params: { path: { library } } })),
  });
  const forDesign = spreads.data?.filter((one) => one.design === designNumber);
  const current =
    number ??
    forDesign?.[0]?.id ??
    (designNumber === null ? spreads.data?.find((one) => one.project === useShared.getState().project)?.id : undefined) ??
    null;
  const spread = useQuery({
    queryKey: ["spread", library, current],
    enabled: current !== null,
    queryFn: () => got(api.GET("/api/lib/{library}/spreads/{id}", { params: { path: { library, id: current ?? 0 } } })),
  });
  const design = designs.data?.find((one) => one.id === (designNumber ?? spread.data?.design)) ?? designs.data?.[0];
  const recipe = useKeptRecipe(design);
  if (!designs.data || !spreads.data || !recipe || (current !== null && !spread.data && !spread.isError)) return null;
  if (!design && !spread.data)
    return (
      <Flex direction="column" h="100%">
        <Bar>
          <Title>Vary</Title>
        </Bar>
        <Empty
          action={
            <Do main onClick={() => go("/stack")}>
              Go to Stack
            </Do>
          }
        >
          Variations of a design are drawn here: free what may move, draw as many as wanted from a seed, keep and drop by ear. First build a design in
          Stack.
        </Empty>
      </Flex>
    );
  return <Recipes key={`${library} ${design?.id}`} design={design} spread={spread.data} spreads={spreads.data} current={current} kept={recipe} />;
}

interface Props {
  design: Design | undefined;
  spread: Spread | undefined;
  spreads: Schemas["SpreadHead"][];
  current: number | null;
  kept: Schemas["RecipeKept"];
}

/** The recipe is the design's: it stays while another spread of it is looked at. */
function Recipes({ kept, ...props }: Props) {
  const library = useShared((state) => state.library);
  const { design, spread } = props;
  const recipe = useRecipe(design, kept);
  const fresh = useQuery({
    queryKey: ["recipe", library, design?.id],
    enabled: !!design,
    queryFn: () => got(api.GET("/api/lib/{library}/designs/{id}/recipe", { params: { path: { library, id: design?.id ?? 0 } } })),
  });
  return <Board key={spread?.id ?? 0} {...props} recipes={recipe} fresh={fresh.data} />;
}
