import { Box, Flex } from "@chakra-ui/react";
import { memo, useState } from "react";
import type { Freedom, Mix, Recipe } from "../../api/client";
import { Bare, Do } from "../../ui/buttons";
import { ControlOf, Controls, useControl } from "../../ui/controls";
import { Fold } from "../../ui/Fold";
import { Input } from "../../ui/fields";
import { Heading } from "../../ui/frames";
import { FreedomRow } from "./FreedomRow";
import { called, type Freeable, freed } from "./freedoms";

interface Props {
  mix: Mix | null;
  freeable: readonly Freeable[];
  recipe: Recipe;
  onChange: (recipe: Recipe, gesture?: string) => void;
  /** Hears a freedom at one of its ends; null where there is no design to hear. */
  onHear: ((freedom: Freedom) => void) | null;
  menu: React.ReactNode;
}

/** The owners of a design's controls: path and name. */
function owners(mix: Mix | null): [string, string][] {
  const escaped = (id: string) => id.replaceAll("~", "~0").replaceAll("/", "~1");
  return [
    ...(mix?.members ?? []).map((one, place): [string, string] => [`layers/${escaped(one.id || String(place))}`, one.name || `Layer ${place + 1}`]),
    ...(mix?.groups ?? []).map((one): [string, string] => [`groups/${escaped(one.id)}`, one.name || one.id]),
    ["sum", "The sum"],
  ];
}

/** What may move: ranges around the design's own values, how draws lie in them, and which are taken. */
export const RecipeView = memo(function RecipeView({ mix, freeable, recipe, onChange, onHear, menu }: Props) {
  const [open, setOpen] = useState<string | null>(null);
  const amount = useControl("Recipe", "amount");
  const freedoms = recipe.freedoms;
  const links = [...new Set(freedoms.map((one) => one.link).filter(Boolean))];
  const known = new Map(freeable.map((one) => [one.path, one]));
  const strangers = freeable.length ? freedoms.filter((one) => !known.has(one.path)) : [];
  const put = (fresh: Freedom[], gesture?: string) => onChange({ ...recipe, freedoms: fresh }, gesture);
  const replace = (old: Freedom, fresh: Freedom | null, gesture?: string) =>
    put(
      freedoms.flatMap((one) => (one.path === old.path ? (fresh ? [fresh] : []) : [one])),
      gesture,
    );
  return (
    <Flex as="section" aria-label="What may move" direction="column" flex={1} minH={0} bg="sheet" p="14px" gap="10px" overflowY="auto">
      <Flex align="center" justify="space-between" gap="6px">
        <Heading>What may move</Heading>
        {menu}
      </Flex>
      <ControlOf control={amount} value={recipe.amount} onChange={(value: number, gesture) => onChange({ ...recipe, amount: value }, gesture)} />
      {owners(mix).map(([path, name]) => {
        const all = freeable.filter((one) => one.owner === path);
        const own = all.filter((one) => freedoms.some((freedom) => freedom.path === one.path));
        const rest = all.filter((one) => !freedoms.some((freedom) => freedom.path === one.path));
        if (!all.length) return null;
        return (
          <Box key={path} borderLeft="3px solid" borderColor={own.length ? "glass" : "line"} pl="9px" role="group" aria-label={name}>
            <Flex justify="space-between" align="center" gap="6px">
              <Box fontWeight={550} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {name}
              </Box>
              <Fold over label={own.length ? "free" : "held still, free"} hint={`Free another control of ${name}`}>
                <Finder
                  of={rest}
                  owner={name}
                  onFree={(one) => {
                    put([...freedoms, freed(one, freedoms)]);
                    setOpen(one.how === "source" ? one.path : null);
                  }}
                />
              </Fold>
            </Flex>
            {own.map((one) => {
              const freedom = freedoms.find((other) => other.path === one.path) as Freedom;
              return (
                <FreedomRow
                  key={one.path}
                  of={one}
                  owner={name}
                  freedom={freedom}
                  open={open === one.path}
                  links={links}
                  onOpen={() => setOpen(open === one.path ? null : one.path)}
                  onChange={(fresh, gesture) => replace(freedom, fresh, gesture)}
                  onHear={onHear && (() => onHear(freedom))}
                />
              );
            })}
          </Box>
        );
      })}
      {strangers.map((one) => (
        <Flex key={one.path} justify="space-between" align="center" color="dim" fontSize="12px" gap="6px">
          <span>{one.path} is not in this design.</span>
          <Bare aria-label={`Take ${one.path} out of the recipe`} onClick={() => replace(one, null)}>
            ×
          </Bare>
        </Flex>
      ))}
      <Fold over label="How they are drawn and taken" hint="Cover, loudness and guards">
        <Flex direction="column" gap="8px" w="260px">
          <Controls model="Recipe" names={["cover", "match"]} value={recipe} onChange={(values) => onChange({ ...recipe, ...values })} />
          {recipe.match === "loudness" && (
            <Controls
              model="Recipe"
              names={["within_lu"]}
              value={recipe}
              onChange={(values, gesture) => onChange({ ...recipe, ...values }, gesture)}
            />
          )}
          <Box color="dim" fontSize="12px">
            A draw that breaks one of these is replaced by the next number.
          </Box>
          <Controls
            model="Guards"
            names={["clips", "silent_dbfs", "shortest_s", "longest_s", "apart"]}
            value={recipe.guards}
            onChange={(values, gesture) => onChange({ ...recipe, guards: { ...recipe.guards, ...values } }, gesture)}
          />
        </Flex>
      </Fold>
    </Flex>
  );
});

/** The controls of one owner that are held still, found by typing. */
function Finder({ of, owner, onFree }: { of: readonly Freeable[]; owner: string; onFree: (one: Freeable) => void }) {
  const [words, setWords] = useState("");
  const said = words.toLowerCase().split(/\s+/).filter(Boolean);
  const all = of.filter((one) => said.every((word) => called(one).toLowerCase().includes(word)));
  // what is called just so comes first
  const just = (one: Freeable) => called(one).toLowerCase() === words.trim().toLowerCase();
  const found = [...all.filter(just), ...all.filter((one) => !just(one))];
  return (
    <Flex direction="column" gap="4px" w="240px">
      <Input
        label={`Find a control of ${owner}`}
        placeholder="Find a control"
        autoFocus
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => {
          if (event.key !== "Enter" || !found.length) return;
          onFree(found[0]);
          setWords("");
        }}
      />
      <Flex direction="column" maxH="260px" overflowY="auto" align="stretch">
        {found.map((one) => (
          <Do key={one.path} quiet justifyContent="flex-start" onClick={() => onFree(one)}>
            {called(one)}
          </Do>
        ))}
        {!found.length && <Box color="dim">Nothing of that name is held still here.</Box>}
      </Flex>
    </Flex>
  );
}
