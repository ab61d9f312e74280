import { Box, Flex, NumberInput } from "@chakra-ui/react";
import { useState } from "react";
import { api, type Control, type Freedom, got, type Node, type Recipe, type Schemas } from "../../api/client";
import { addToSheet, putOnSheet } from "../../between/sheet";
import { UndoRedo } from "../../documents/UndoRedo";
import { type History, together } from "../../documents/useDocument";
import { openToHear } from "../../listening/opening";
import { player } from "../../listening/player";
import { changedHere, whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { useControl } from "../../ui/controls";
import { Bar, Empty, Heading, Line, Side, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { complain, tell } from "../../ui/messages";
import { Panes } from "../../ui/Panes";
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

/** One spread, and what the next one is drawn by. */
export function Board({ design, spread: data, spreads, current, recipes, fresh }: Props) {
  const [many, seeds] = [useControl("RecipeDraft", "count"), useControl("RecipeDraft", "seed")];
  const library = useShared((state) => state.library);
  const [at, setAt] = useState(0);
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
  /** Its design is in the trash or deleted: its variations can be heard, kept and printed all the same. */
  const orphan = data !== undefined && data.design === null;
  const draws = (mine || !design || orphan ? (data?.all ?? []) : []).map((one) => ({ ...one, state: stateOf(one) }));
  const kept = draws.filter((one) => one.state === "kept").length;
  const dropped = draws.filter((one) => one.state === "dropped").length;
  const judge = (state: "kept" | "dropped") => {
    if (draws[at]) toggle(draws[at], state);
  };
  const play = async (index: number) => {
    const draw = draws[index];
    if (!draw?.ready) return;
    setAt(index);
    const opened = await openToHear({ node: draw.mix as Node }, library, `No ${draw.number} of ${data?.name ?? ""}`, { lufs: draw.loudness });
    if (opened) await player.play(opened);
    void heard(draw);
  };
  const choose = (id: number) => {
    const chosen = spreads.find((one) => one.id === id);
    useShared.setState((state) => ({ spread: chosen?.id ?? null, design: chosen?.design ?? state.design }));
    const isSet = draft.recipe !== null || draft.seed !== null || draft.count !== null;
    if (chosen?.design === design?.id && isSet) set(NOTHING_SET);
  };
  const run = async () => {
    if (!design) return;
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
      await got(api.POST("/api/lib/{library}/spreads/{id}/redraw", { params: { path: { library, id: data.id } } }));
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
      const made = await got(api.POST("/api/lib/{library}/spreads/{id}/print", { params: { path: { library, id: data.id } } }));
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
        <Title>{orphan ? data.name : (design?.name ?? data?.name)}</Title>
        <Choose
          label="Spread"
          value={String(current ?? "")}
          options={[
            ...(mine || orphan ? [] : [[String(current ?? ""), "not drawn yet"] as const]),
            ...spreads.map((one) => [String(one.id), `${one.name}, ${one.draws} from ${one.seed}`] as const),
          ]}
          onChange={(value) => choose(Number(value))}
          maxW="200px"
        />
        <Flex align="center" gap="6px" color="dim" whiteSpace="nowrap">
          <Whole label="How many" control={many} value={count} width="64px" onChange={(next) => set({ count: next }, "count")} />
          from seed
          <Whole label="Seed" control={seeds} value={seed} width="104px" onChange={(next) => set({ seed: next }, "seed")} />
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
      <Panes
        name="vary"
        panes={[
          {
            id: "freedoms",
            label: "what may move",
            size: 268,
            least: 230,
            most: 520,
            holds: <RecipeView mix={mix ?? null} recipe={recipe} onChange={(freedoms: Freedom[]) => set({ recipe: { ...recipe, freedoms } })} />,
          },
          {
            id: "work",
            label: "the work",
            least: 420,
            holds: (
              <Box flex={1} minW={0} overflowY="auto" p="14px">
                {orphan && (
                  <Box role="status" color="dim" fontSize="12px" mb="10px">
                    The design these were drawn from is in the trash, or deleted; they can be heard, kept and printed all the same.
                    {design && ` Draw draws from ${design.name}.`}
                  </Box>
                )}
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
            ),
          },
          {
            id: "side",
            label: "the map",
            size: 240,
            least: 220,
            most: 620,
            holds: (
              <Side label="How far apart they sound">
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
            ),
          },
        ]}
      />
    </Flex>
  );
}

interface WholeProps {
  label: string;
  value: number;
  control: Control | undefined;
  width: string;
  onChange: (next: number) => void;
}

/** A whole number: typed, stepped by arrow keys, taken as soon as it is one within its range. */
function Whole({ label, value, control, width, onChange }: WholeProps) {
  const [low, high] = [control?.low ?? 0, control?.high ?? Number.MAX_SAFE_INTEGER];
  const [typed, setTyped] = useState<string | null>(null);
  const type = (text: string) => {
    setTyped(text);
    const next = Number(text);
    if (text.trim() && Number.isInteger(next) && next >= low && next <= high && next !== value) onChange(next);
  };
  const leave = () => {
    if (typed !== null && Number(typed) !== value) tell(`${label} is a whole number from ${low} to ${high}.`, true);
    setTyped(null);
  };
  return (
    <NumberInput.Root
      size="xs"
      min={low}
      max={high}
      clampValueOnBlur={false}
      formatOptions={{ useGrouping: false, maximumFractionDigits: 0 }}
      value={typed ?? String(value)}
      onValueChange={(details) => type(details.value)}
      w={width}
    >
      <NumberInput.Input aria-label={label} onBlur={leave} fontFamily="mono" bg="ground" borderColor="line" color="chalk" px="6px" />
    </NumberInput.Root>
  );
}
