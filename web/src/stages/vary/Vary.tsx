import { Box, chakra, Flex, SimpleGrid } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Freedom, got, type Node, type Recipe, type Schemas } from "../../api/client";
import { hertz, level, seconds } from "../../app/format";
import { whenDone } from "../../app/jobs";
import { useKeys } from "../../app/keys";
import { Bar, Do, Empty, Heading, Line, Side, Title } from "../../app/parts";
import { putOnSheet } from "../../app/sheet";
import { complain, queries, tell, useShared } from "../../app/store";
import { MiniWave } from "../../canvas/MiniWave";
import { player } from "../../listening/player";
import { MapView } from "./MapView";
import { RecipeView } from "./RecipeView";
import { useRecipeDraft } from "./useRecipeDraft";

type Draw = Schemas["DrawView"];

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
    queryFn: () => got(api.GET("/api/lib/{library}/spreads/{number}", { params: { path: { library, number: current ?? 0 } } })),
    refetchInterval: (query) => (query.state.data?.all.some((one) => !one.ready) ? 700 : false),
  });
  const design = designs.data?.find((one) => one.id === (designNumber ?? spread.data?.design)) ?? designs.data?.[0];
  const fresh = useQuery({
    queryKey: ["recipe", library, design?.id],
    enabled: !!design,
    queryFn: () => got(api.GET("/api/lib/{library}/designs/{number}/recipe", { params: { path: { library, number: design?.id ?? 0 } } })),
  });
  const { draft, setDraft } = useRecipeDraft(design?.id, design?.project);
  const [at, setAt] = useState(0);
  const shownFor = useRef<number | null>(null);
  const data = spread.data;
  const mine = data && design && data.design === design.id;
  useEffect(() => {
    if (data && shownFor.current !== data.id) {
      shownFor.current = data.id;
      setAt(0);
    }
  }, [data]);
  const recipe: Recipe = draft.recipe ?? (mine ? data.recipe : undefined) ?? fresh.data ?? { name: "", freedoms: [] };
  const seed = draft.seed ?? String(mine ? data.seed : 41882);
  const count = draft.count ?? (mine ? data.all.length : 20);
  const draws = mine || !design ? (data?.all ?? []) : [];
  const kept = draws.filter((one) => one.state === "kept").length;
  const dropped = draws.filter((one) => one.state === "dropped").length;
  const key = ["spread", library, data?.id];
  const stateNow = (id: number) => queries.getQueryData<Schemas["SpreadView"]>(key)?.all.find((one) => one.id === id)?.state;
  // judgements reach the server in the order they were made
  const judging = useRef<Promise<unknown>>(Promise.resolve());
  const judge = (draw: Draw | undefined, state: Draw["state"]) => {
    if (!draw || !data) return;
    queries.setQueryData<Schemas["SpreadView"]>(
      key,
      (before) => before && { ...before, all: before.all.map((one) => (one.id === draw.id ? { ...one, state } : one)) },
    );
    judging.current = judging.current
      .then(() => got(api.PATCH("/api/lib/{library}/draws/{number}", { params: { path: { library, number: draw.id } }, body: { state } })))
      .catch(complain);
  };
  const toggle = (state: "kept" | "dropped") => {
    const draw = draws[at];
    if (draw) judge(draw, stateNow(draw.id) === state ? "heard" : state);
  };
  const play = async (index: number) => {
    const draw = draws[index];
    if (!draw?.ready) return;
    setAt(index);
    const heard = await player.open({ node: draw.mix as Node }, library, `No ${draw.number} of ${data?.name ?? ""}`, { lufs: draw.loudness });
    if (heard) await player.play(heard);
    if (stateNow(draw.id) === "unheard") judge(draw, "heard");
  };
  const run = async () => {
    if (!design) return;
    const wanted = Number.parseInt(seed, 10);
    if (Number.isNaN(wanted) || wanted < 0) return tell("The seed is a whole number, zero or more.", true);
    try {
      const started = await got(
        api.POST("/api/lib/{library}/spreads", {
          params: { path: { library } },
          body: { design: design.id, recipe: { ...recipe, freedoms: recipe.freedoms }, seed: wanted, count },
        }),
      );
      useShared.setState({ spread: started.id ?? null });
      void queries.invalidateQueries({ queryKey: ["spreads"] });
      void queries.invalidateQueries({ queryKey: ["counts"] });
      await whenDone(started.job, "vary");
    } catch (error) {
      complain(error);
    }
  };
  const redraw = async () => {
    if (!data) return;
    try {
      await judging.current;
      await got(api.POST("/api/lib/{library}/spreads/{number}/redraw", { params: { path: { library, number: data.id } } }));
      void queries.invalidateQueries({ queryKey: ["spread"] });
    } catch (error) {
      complain(error);
    }
  };
  const print = async () => {
    if (!data) return;
    try {
      await judging.current;
      const made = await got(api.POST("/api/lib/{library}/spreads/{number}/print", { params: { path: { library, number: data.id } } }));
      for (const key of ["sounds", "counts", "arrivals", "state"]) void queries.invalidateQueries({ queryKey: [key] });
      await putOnSheet(made);
      tell(`${made.length} variations are in the library and on the sheet of Ship.`);
    } catch (error) {
      complain(error);
    }
  };
  const columns = 4;
  useKeys({
    right: () => void play(Math.min(draws.length - 1, at + 1)),
    left: () => void play(Math.max(0, at - 1)),
    next: () => void play(Math.min(draws.length - 1, at + columns)),
    previous: () => void play(Math.max(0, at - columns)),
    keep: () => toggle("kept"),
    drop: () => toggle("dropped"),
    nextUnheard: () => {
      const next = [...draws.keys()].find((i) => draws[i].state === "unheard" && draws[i].ready);
      if (next !== undefined) void play(next);
      else tell("All of them were heard.");
    },
    draw: () => void run(),
    commit: () => void print(),
  });
  if (!design && !data)
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
  const mix = mine ? data.mix : design?.mix;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{design?.name ?? data?.name}</Title>
        <chakra.select
          aria-label="Spread"
          value={current ?? ""}
          onChange={(event) => {
            const chosen = spreads.data?.find((one) => one.id === Number(event.target.value));
            useShared.setState({ spread: chosen?.id ?? null, design: chosen?.design ?? designNumber });
            if (chosen?.design === design?.id) setDraft({ recipe: null, seed: null, count: null });
          }}
          bg="transparent"
          color="dim"
          maxW="200px"
        >
          {!mine && <option value={current ?? ""}>not drawn yet</option>}
          {spreads.data?.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}, {one.draws} from {one.seed}
            </option>
          ))}
        </chakra.select>
        <Flex align="center" gap="6px" color="dim">
          <chakra.input
            aria-label="How many"
            type="number"
            min={1}
            max={400}
            value={count}
            onChange={(event) => setDraft({ count: Math.max(1, Math.min(400, Number(event.target.value) || 1)) })}
            w="52px"
            bg="ground"
            border="1px solid"
            borderColor="line"
            borderRadius="6px"
            px="5px"
            py="3px"
            fontFamily="mono"
            fontSize="12px"
            color="chalk"
          />
          from seed
          <chakra.input
            aria-label="Seed"
            value={seed}
            onChange={(event) => setDraft({ seed: event.target.value })}
            w="84px"
            bg="ground"
            border="1px solid"
            borderColor="line"
            borderRadius="6px"
            px="7px"
            py="3px"
            fontFamily="mono"
            fontSize="12px"
            color="chalk"
          />
        </Flex>
        <Do act="draw" disabled={!design} onClick={() => void run()}>
          Draw
        </Do>
        <Box flex={1} />
        <Box fontFamily="mono" fontSize="12px" whiteSpace="nowrap" data-testid="kept">
          <Box as="span" color="glass">
            {kept} kept
          </Box>{" "}
          {dropped} dropped
        </Box>
        <Do disabled={!dropped} onClick={() => void redraw()} hint="Draw the dropped ones anew; the kept ones stay">
          Redraw dropped
        </Do>
        <Do main act="commit" disabled={!kept} onClick={() => void print()}>
          Print {kept} kept
        </Do>
      </Bar>
      <Flex flex={1} minH={0}>
        <RecipeView mix={mix ?? null} recipe={recipe} onChange={(freedoms: Freedom[]) => setDraft({ recipe: { ...recipe, freedoms } })} />
        <Box flex={1} minW={0} overflowY="auto" p="14px">
          {draws.length ? (
            <SimpleGrid columns={columns} gap="10px" role="listbox" aria-label="Variations">
              {draws.map((draw, index) => (
                <chakra.button
                  key={draw.id}
                  type="button"
                  role="option"
                  aria-selected={index === at}
                  data-draw={draw.number}
                  data-state={draw.state}
                  onClick={() => void play(index)}
                  textAlign="left"
                  p="9px"
                  h="104px"
                  borderRadius="9px"
                  bg={draw.state === "kept" ? "raised" : "sheet"}
                  border="1px solid"
                  borderColor={index === at ? "amber" : draw.state === "kept" ? "glass" : "line"}
                  boxShadow={index === at ? "0 0 0 1px var(--chakra-colors-amber)" : undefined}
                  opacity={draw.state === "dropped" ? 0.4 : 1}
                  cursor="pointer"
                >
                  <Flex justify="space-between" fontFamily="mono" fontSize="11px">
                    <Box fontWeight={700}>{draw.number}</Box>
                    <Box color={draw.state === "kept" ? "glass" : "dim"}>{draw.ready ? draw.state : "drawing …"}</Box>
                  </Flex>
                  <MiniWave row={draw.row} colour={draw.state === "kept" ? "glass" : "dim"} height="48px" />
                  <Flex justify="space-between" fontFamily="mono" fontSize="10px" color="dim">
                    <span>{draw.seconds === null || draw.seconds === undefined ? "" : seconds(draw.seconds)}</span>
                    <span>{draw.loudness == null ? "" : level(draw.loudness)}</span>
                    <span>{draw.brightness == null ? "" : hertz(draw.brightness)}</span>
                  </Flex>
                </chakra.button>
              ))}
            </SimpleGrid>
          ) : (
            <Empty
              action={
                <Do main act="draw" onClick={() => void run()}>
                  Draw {count}
                </Do>
              }
            >
              Nothing is drawn from this design yet. The ranges on the left say what may move; the same seed gives the same variations again.
            </Empty>
          )}
        </Box>
        <Side label="How far apart they sound" width="240px">
          <Heading>How far apart they sound</Heading>
          <MapView draws={draws} at={at} onPlay={(index) => void play(index)} />
          <Line />
          <Box color="dim" fontSize="12px">
            Arrows go from one to the next and play it.
          </Box>
          <Flex gap="6px" wrap="wrap">
            <Do act="keep" disabled={!draws[at]} onClick={() => toggle("kept")}>
              Keep
            </Do>
            <Do act="drop" disabled={!draws[at]} onClick={() => toggle("dropped")}>
              Drop
            </Do>
          </Flex>
          {data && (
            <Box color="dim" fontSize="11px" mt="auto">
              Drawn with {data.made_with}. On the same versions the same seed gives the same audio.
            </Box>
          )}
        </Side>
      </Flex>
    </Flex>
  );
}
