import { Box, Flex, NumberInput } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Control, type Freedom, got, type Node, type Recipe, type Schemas } from "../../api/client";
import { UndoRedo } from "../../documents/UndoRedo";
import { type History, together } from "../../documents/useDocument";
import { openToHear } from "../../listening/opening";
import { player } from "../../listening/player";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { useControl } from "../../ui/controls";
import { Bar, Empty, Title } from "../../ui/frames";
import { useKeys } from "../../ui/keys";
import { tell } from "../../ui/messages";
import { Panes } from "../../ui/Panes";
import { drawNear, drawSpread, firstRecipe, hearEnds, keptToSheet, mixOf, openAsDesign, printKept } from "./drawing";
import { called, type Freeable } from "./freedoms";
import { RecipeMenu } from "./RecipeMenu";
import { RecipeView } from "./RecipeView";
import { SpreadSide } from "./SpreadSide";
import { COLUMNS, Tiles } from "./Tiles";
import { useJudgements, useSaid } from "./useJudgements";
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
const NONE: readonly Freeable[] = [];

/** One spread, and what the next one is drawn by. */
export function Board({ design, spread: data, spreads, current, recipes, fresh }: Props) {
  const [many, seeds] = [useControl("RecipeDraft", "count"), useControl("RecipeDraft", "seed")];
  const library = useShared((state) => state.library);
  const go = useNavigate();
  const [at, setAt] = useState(0);
  const [other, setOther] = useState<number | null>(null);
  const [sounding, setSounding] = useState<number | null>(null);
  const { history: judgements, stateOf, toggle, keepOnly, redraw, heard } = useJudgements(data);
  const undoing = together(recipes, judgements);
  /** Drawn anew from what it holds: copies of a sound, more around a variation. */
  const alone = data?.alone === true;
  const mine = data !== undefined && design !== undefined && data.design === design.id && !alone;
  /** Its design is in the trash or deleted: its variations can be heard, kept and printed all the same. */
  const orphan = data !== undefined && data.design === null && !alone;
  const shown = alone ? undefined : design;
  // what is set for those is kept with the spreads that are drawn of it
  const [own, setOwn] = useState<Partial<RecipeDraft>>({});
  const draft: RecipeDraft = alone ? { ...NOTHING_SET, ...own } : (recipes.doc ?? NOTHING_SET);
  const set = (values: Partial<RecipeDraft>, gesture?: string) => {
    if (alone) setOwn((before) => ({ ...before, ...values }));
    else if (design) recipes.change({ ...(recipes.now() ?? NOTHING_SET), ...values }, gesture);
  };
  const recipe: Recipe | undefined = draft.recipe ?? (mine || alone ? data.recipe : undefined) ?? fresh;
  const seed = draft.seed ?? (mine || alone ? data.seed : FIRST_SEED);
  const count = draft.count ?? (mine || alone ? data.all.length : FIRST_COUNT);
  const draws = useSaid(mine || !design || orphan || alone ? data?.all : undefined, stateOf);
  const kept = draws.filter((one) => one.state === "kept");
  const of = alone ? `spread ${data.id}` : `design ${design?.id} ${design?.revision}`;
  const freeable = useQuery({
    queryKey: ["freeable", library, of],
    enabled: alone || design !== undefined,
    placeholderData: (before) => before,
    queryFn: () =>
      alone
        ? got(api.GET("/api/lib/{library}/spreads/{id}/freeable", { params: { path: { library, id: data.id } } }))
        : got(api.GET("/api/lib/{library}/designs/{id}/freeable", { params: { path: { library, id: design?.id ?? 0 } } })),
  });
  const judge = (state: "kept" | "dropped") => {
    if (draws[at]) toggle(draws[at], state);
  };
  const play = async (index: number) => {
    const draw = draws[index];
    if (!draw?.ready) return;
    setAt(index);
    const node = (await mixOf(library, draw.id)) as Node;
    const opened = await openToHear({ node }, library, `No ${draw.number} of ${data?.name ?? ""}`, { lufs: draw.loudness });
    if (opened) await player.play(opened);
    void heard(draw);
  };
  const hear = (freedom: Freedom) => {
    const one = freeable.data?.find((of) => of.path === freedom.path);
    if (shown && recipe) void hearEnds(shown.id, freedom, recipe.amount, one ? called(one) : freedom.path);
  };
  const acts = useRef({ play, draws, set, hear });
  acts.current = { play, draws, set, hear };
  // what the sides are given stays the same while another variation is chosen, so that only the tiles are drawn anew
  const onRecipe = useCallback((next: Recipe, gesture?: string) => acts.current.set({ recipe: next }, gesture), []);
  const onHear = useCallback((freedom: Freedom) => acts.current.hear(freedom), []);
  const menu = useMemo(
    () => shown && recipe && <RecipeMenu design={shown.id} recipe={recipe} seed={seed} onUse={(next) => acts.current.set({ recipe: next })} />,
    [shown, recipe, seed],
  );
  const playAt = useCallback((index: number) => void acts.current.play(index), []);
  const mark = useCallback((index: number) => setOther(acts.current.draws[index]?.id ?? null), []);
  const choose = (id: number) => {
    const chosen = spreads.find((one) => one.id === id);
    useShared.setState((state) => ({ spread: chosen?.id ?? null, design: chosen?.design ?? state.design }));
    const isSet = draft.recipe !== null || draft.seed !== null || draft.count !== null;
    if (!alone && chosen?.design === design?.id && isSet) set(NOTHING_SET);
  };
  const run = async () => {
    // a key pressed before the first recipe is there is not lost
    const by = recipe ?? (design && (await firstRecipe(design.id)));
    if (!by) return;
    if (alone) await drawSpread({ spread: data.id }, by, seed, count);
    else if (design) await drawSpread({ design: design.id }, by, seed, count);
  };
  const saved = (then: () => void) => void judgements.saved().then(then);
  const print = () => data && saved(() => void printKept(data.id));
  const second = draws.find((one) => one.id === other) ?? null;
  useKeys({
    toShip: () => void keptToSheet(kept.map((one) => one.id)),
    right: () => void play(Math.min(draws.length - 1, at + 1)),
    left: () => void play(Math.max(0, at - 1)),
    next: () => void play(Math.min(draws.length - 1, at + COLUMNS)),
    previous: () => void play(Math.max(0, at - COLUMNS)),
    keep: () => judge("kept"),
    drop: () => judge("dropped"),
    compare: () => setOther(draws[at] && draws[at].id !== other ? draws[at].id : null),
    nextUnheard: () => {
      const next = [...draws.keys()].find((i) => draws[i].state === "unheard" && draws[i].ready);
      if (next !== undefined) void play(next);
      else tell("All of them were heard.");
    },
    draw: () => void run(),
    commit: () => kept.length && print(),
    undo: undoing.undo,
    redo: undoing.redo,
  });
  const mix = mine || alone ? data.mix : design?.mix;
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>{orphan || alone ? data.name : (design?.name ?? data?.name)}</Title>
        <Choose
          label="Spread"
          value={String(current ?? "")}
          options={[
            ...(mine || orphan || alone ? [] : [[String(current ?? ""), "not drawn yet"] as const]),
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
        <Do act="draw" disabled={!design && !alone} onClick={() => void run()}>
          Draw
        </Do>
        <UndoRedo history={undoing} />
        <Box flex={1} />
        <Do main act="commit" disabled={!kept.length && !data?.family.length} onClick={print}>
          Print {kept.length} kept
        </Do>
      </Bar>
      <Panes
        name="vary"
        panes={[
          {
            id: "freedoms",
            label: "what may move",
            size: 300,
            least: 260,
            most: 560,
            holds: recipe && (
              <RecipeView
                mix={mix ?? null}
                freeable={freeable.data ?? NONE}
                recipe={recipe}
                onChange={onRecipe}
                onHear={shown ? onHear : null}
                menu={menu}
              />
            ),
          },
          {
            id: "work",
            label: "the work",
            least: 420,
            holds: (
              <Flex direction="column" flex={1} minW={0} minH={0}>
                {orphan && (
                  <Box role="status" color="dim" fontSize="12px" px="14px" pt="14px">
                    The design these were drawn from is in the trash, or deleted; they can be heard, kept and printed all the same.
                    {design && ` Draw draws from ${design.name}.`}
                  </Box>
                )}
                {draws.length ? (
                  <Tiles draws={draws} at={at} other={other} sounding={sounding} onPlay={playAt} onOther={mark} />
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
              </Flex>
            ),
          },
          {
            id: "side",
            label: "the map",
            size: 250,
            least: 220,
            most: 620,
            holds: (
              <SpreadSide
                data={draws.length ? data : undefined}
                draws={draws}
                at={at}
                other={second}
                sounding={sounding}
                spreads={spreads}
                onPlay={playAt}
                onSounding={setSounding}
                onJudge={judge}
                onKeepOnly={keepOnly}
                onOther={setOther}
                onSheet={() => void keptToSheet(kept.map((one) => one.id))}
                onRedraw={() => void redraw()}
                onNear={(draw, between) => data && void drawNear(data.id, draw, between, seed, Math.min(count, 24))}
                onDesign={async () => {
                  const draw = draws[at];
                  if (data && draw && (await openAsDesign(data.name, draw.number, data.recipe, data.seed, draw.id))) go("/stack");
                }}
              />
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
      <NumberInput.Input
        aria-label={label}
        onBlur={leave}
        // given, it hands the keys back to the stage
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        fontFamily="mono"
        bg="ground"
        borderColor="line"
        color="chalk"
        px="6px"
      />
    </NumberInput.Root>
  );
}
