import { Box, chakra, Flex } from "@chakra-ui/react";
import { useState } from "react";
import { api, type Freedom, got, type Node, type Recipe, type Schemas } from "../../api/client";
import { type History, together } from "../../app/document";
import { changedHere, whenDone } from "../../app/jobs";
import { useKeys } from "../../app/keys";
import { Bar, Do, Empty, Heading, Line, Side, Title } from "../../app/parts";
import { addToSheet, putOnSheet } from "../../app/sheet";
import { complain, queries, tell, useShared } from "../../app/store";
import { UndoRedo } from "../../app/UndoRedo";
import { player } from "../../listening/player";
import { MapView } from "./MapView";
import { RecipeView } from "./RecipeView";
import { COLUMNS, Tiles } from "./Tiles";
import { useJudgements } from "./useJudgements";
import { NOTHING_SET, type RecipeDraft } from "./useRecipe";
import type { Spread } from "./Vary";

interface Props {
  design: Schemas["DesignView"] | undefined;
  spread: Spread | undefined;
  spreads: Schemas["SpreadHead"][];
  current: number | null;
  recipes: History<RecipeDraft>;
  fresh: Recipe | undefined;
}

const FIRST_SEED = 41882;
const FIRST_COUNT = 20;
const HIGHEST_SEED = 2 ** 53;

/** One spread, and what the next one is drawn by. */
export function Board({ design, spread: data, spreads, current, recipes, fresh }: Props) {
  const library = useShared((state) => state.library);
  const [at, setAt] = useState(0);
  const [typedSeed, setTypedSeed] = useState<string | null>(null);
  const { history: judgements, stateOf, toggle, heard } = useJudgements(data);
  const undoing = together(recipes, judgements);
  const mine = data !== undefined && design !== undefined && data.design === design.id;
  const draft = recipes.doc ?? NOTHING_SET;
  const set = (values: Partial<RecipeDraft>, gesture?: string) => {
    if (design) recipes.change({ ...(recipes.now() ?? NOTHING_SET), ...values }, gesture);
  };
  const recipe: Recipe = draft.recipe ?? (mine ? data.recipe : undefined) ?? fresh ?? { name: "", freedoms: [] };
  const seed = draft.seed ?? (mine ? data.seed : FIRST_SEED);
  const count = draft.count ?? (mine ? data.all.length : FIRST_COUNT);
  const draws = (mine || !design ? (data?.all ?? []) : []).map((one) => ({ ...one, state: stateOf(one) }));
  const kept = draws.filter((one) => one.state === "kept").length;
  const dropped = draws.filter((one) => one.state === "dropped").length;
  const judge = (state: "kept" | "dropped") => {
    if (draws[at]) toggle(draws[at], state);
  };
  const play = async (index: number) => {
    const draw = draws[index];
    if (!draw?.ready) return;
    setAt(index);
    const opened = await player.open({ node: draw.mix as Node }, library, `No ${draw.number} of ${data?.name ?? ""}`, { lufs: draw.loudness });
    if (opened) await player.play(opened);
    void heard(draw);
  };
  const choose = (id: number) => {
    const chosen = spreads.find((one) => one.id === id);
    useShared.setState((state) => ({ spread: chosen?.id ?? null, design: chosen?.design ?? state.design }));
    const isSet = draft.recipe !== null || draft.seed !== null || draft.count !== null;
    if (chosen?.design === design?.id && isSet) set(NOTHING_SET);
  };
  const typeSeed = (text: string) => {
    setTypedSeed(text);
    if (/^\d{1,16}$/.test(text.trim()) && Number(text) <= HIGHEST_SEED) set({ seed: Number(text) }, "seed");
  };
  const leaveSeed = () => {
    if (typedSeed !== null && Number(typedSeed.trim()) !== seed) tell("The seed is a whole number, zero or more.", true);
    setTypedSeed(null);
  };
  const run = async () => {
    if (!design) return;
    if (typedSeed !== null && Number(typedSeed.trim()) !== seed) return tell("The seed is a whole number, zero or more.", true);
    try {
      const body = { design: design.id, recipe, seed, count };
      const started = await got(api.POST("/api/lib/{library}/spreads", { params: { path: { library } }, body }));
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
      await judgements.saved();
      await got(api.POST("/api/lib/{library}/spreads/{number}/redraw", { params: { path: { library, number: data.id } } }));
      changedHere("spread", data.id);
      void queries.invalidateQueries({ queryKey: ["spread"] });
    } catch (error) {
      complain(error);
    }
  };
  const print = async () => {
    if (!data) return;
    try {
      await judgements.saved();
      const made = await got(api.POST("/api/lib/{library}/spreads/{number}/print", { params: { path: { library, number: data.id } } }));
      for (const key of ["sounds", "counts", "arrivals", "state"]) void queries.invalidateQueries({ queryKey: [key] });
      await putOnSheet({ sounds: made });
      tell(`${made.length} variations are in the library and on the sheet of Ship.`);
    } catch (error) {
      complain(error);
    }
  };
  /** The kept ones leave from the sheet as they are, without being printed. */
  const toSheet = async () => {
    const some = draws.filter((one) => one.state === "kept");
    if (some.length)
      await addToSheet(
        "draws",
        some.map((one) => one.id),
      );
    else tell("No variation is kept yet; keep one (K), then put it on the sheet.");
  };
  useKeys({
    toShip: () => void toSheet(),
    right: () => void play(Math.min(draws.length - 1, at + 1)),
    left: () => void play(Math.max(0, at - 1)),
    next: () => void play(Math.min(draws.length - 1, at + COLUMNS)),
    previous: () => void play(Math.max(0, at - COLUMNS)),
    keep: () => judge("kept"),
    drop: () => judge("dropped"),
    nextUnheard: () => {
      const next = [...draws.keys()].find((i) => draws[i].state === "unheard" && draws[i].ready);
      if (next !== undefined) void play(next);
      else tell("All of them were heard.");
    },
    draw: () => void run(),
    commit: () => void print(),
    undo: undoing.undo,
    redo: undoing.redo,
  });
  const mix = mine ? data.mix : design?.mix;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{design?.name ?? data?.name}</Title>
        <chakra.select
          aria-label="Spread"
          value={current ?? ""}
          onChange={(event) => choose(Number(event.target.value))}
          bg="transparent"
          color="dim"
          maxW="200px"
        >
          {!mine && <option value={current ?? ""}>not drawn yet</option>}
          {spreads.map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}, {one.draws} from {one.seed}
            </option>
          ))}
        </chakra.select>
        <Flex align="center" gap="6px" color="dim" whiteSpace="nowrap">
          <Field
            label="How many"
            value={String(count)}
            width="52px"
            number
            onType={(text) => set({ count: Math.max(1, Math.min(400, Number(text) || 1)) }, "count")}
          />
          from seed
          <Field label="Seed" value={typedSeed ?? String(seed)} width="84px" onType={typeSeed} onLeave={leaveSeed} />
        </Flex>
        <Do act="draw" disabled={!design} onClick={() => void run()}>
          Draw
        </Do>
        <UndoRedo history={undoing} />
        <Box flex={1} />
        <Do main act="commit" disabled={!kept} onClick={() => void print()}>
          Print {kept} kept
        </Do>
      </Bar>
      <Flex flex={1} minH={0}>
        <RecipeView mix={mix ?? null} recipe={recipe} onChange={(freedoms: Freedom[]) => set({ recipe: { ...recipe, freedoms } })} />
        <Box flex={1} minW={0} overflowY="auto" p="14px">
          {draws.length ? (
            <Tiles draws={draws} at={at} onPlay={(index) => void play(index)} />
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
            <Do act="keep" disabled={!draws[at]} onClick={() => judge("kept")}>
              Keep
            </Do>
            <Do act="drop" disabled={!draws[at]} onClick={() => judge("dropped")}>
              Drop
            </Do>
          </Flex>
          <Line />
          <Box fontFamily="mono" fontSize="12px" whiteSpace="nowrap" data-testid="kept">
            <Box as="span" color="glass">
              {kept} kept
            </Box>{" "}
            {dropped} dropped
          </Box>
          <Do act="toShip" disabled={!kept} onClick={() => void toSheet()} hint="Put the kept ones on the sheet of Ship as they are">
            Kept to sheet
          </Do>
          <Do disabled={!dropped} onClick={() => void redraw()} hint="Draw the dropped ones anew; the kept ones stay">
            Redraw dropped
          </Do>
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

interface FieldProps {
  label: string;
  value: string;
  width: string;
  number?: boolean;
  onType: (text: string) => void;
  onLeave?: () => void;
}

function Field({ label, value, width, number = false, onType, onLeave }: FieldProps) {
  return (
    <chakra.input
      aria-label={label}
      {...(number ? { type: "number", min: 1, max: 400 } : {})}
      value={value}
      onChange={(event) => onType(event.target.value)}
      onBlur={onLeave}
      w={width}
      bg="ground"
      border="1px solid"
      borderColor="line"
      borderRadius="6px"
      px="6px"
      py="3px"
      fontFamily="mono"
      fontSize="12px"
      color="chalk"
    />
  );
}
