import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Recipe } from "../../api/client";
import { putAway } from "../../documents/named";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { ControlOf, useControl } from "../../ui/controls";
import { Fold } from "../../ui/Fold";
import { NameInput } from "../../ui/fields";
import { complain, tell } from "../../ui/messages";

interface Props {
  design: number;
  recipe: Recipe;
  seed: number;
  onUse: (recipe: Recipe) => void;
}

/** Recipes that are kept by name: kept, used on this design, or several of them drawn as a family. */
export function RecipeMenu({ design, recipe, seed, onUse }: Props) {
  const library = useShared((state) => state.library);
  const [naming, setNaming] = useState(false);
  const [counts, setCounts] = useState<Record<number, number>>({});
  const many = useControl("Counted", "of_recipe");
  const kept = useQuery({
    queryKey: ["recipes", library],
    queryFn: () => got(api.GET("/api/lib/{library}/recipes", { params: { path: { library } } })),
  });
  const keep = async (name: string) => {
    try {
      await got(api.POST("/api/lib/{library}/recipes", { params: { path: { library } }, body: { name, design, recipe } }));
      void queries.invalidateQueries({ queryKey: ["recipes"] });
      onUse({ ...recipe, name });
      tell(`The recipe ${name} is kept.`);
    } catch (error) {
      complain(error);
    }
  };
  const use = async (id: number) => {
    try {
      const fits = await got(api.GET("/api/lib/{library}/designs/{id}/recipes/{recipe}", { params: { path: { library, id: design, recipe: id } } }));
      onUse(fits.recipe);
      tell([`The recipe ${fits.recipe.name} is set.`, ...fits.said].join(" "), fits.said.length > 0);
    } catch (error) {
      complain(error);
    }
  };
  const family = async () => {
    const parts = Object.entries(counts).flatMap(([id, count]) => (count > 0 ? [{ recipe: Number(id), count }] : []));
    try {
      const started = await got(api.POST("/api/lib/{library}/families", { params: { path: { library } }, body: { design, seed, parts } }));
      useShared.setState({ spread: started.id ?? null });
      for (const key of ["spreads", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
      if (started.said.length) tell(started.said.join(" "), true);
      await whenDone(started.job, "vary");
    } catch (error) {
      complain(error);
    }
  };
  const total = Object.values(counts).reduce((sum, count) => sum + count, 0);
  return (
    <Fold over label={recipe.name || "Recipes"} hint="Recipes kept by name, and families of them">
      <Flex direction="column" gap="6px" w="280px" role="group" aria-label="Recipes">
        {naming ? (
          <NameInput label="Name of the recipe" defaultValue={recipe.name} onNamed={(name) => void keep(name)} onLeave={() => setNaming(false)} />
        ) : (
          <Do onClick={() => setNaming(true)} hint="Keep what may move by a name, to be used on other designs">
            Keep this recipe
          </Do>
        )}
        {kept.data?.map((one) => (
          <Flex key={one.id} align="center" gap="6px" role="group" aria-label={one.name}>
            <Do
              quiet
              flex={1}
              justifyContent="flex-start"
              onClick={() => void use(one.id)}
              hint="Set it for this design: layers are found by role, name, then order"
            >
              {one.name}
            </Do>
            <Box w="92px">
              <ControlOf
                control={many}
                label={`Of ${one.name}`}
                value={counts[one.id] ?? 0}
                onChange={(count: number) => setCounts({ ...counts, [one.id]: Math.round(count) })}
              />
            </Box>
            <Bare aria-label={`Put ${one.name} into the trash`} color="dim" onClick={() => void putAway("recipe", one.id)}>
              ×
            </Bare>
          </Flex>
        ))}
        {kept.data && kept.data.length > 0 && (
          <Do disabled={!total} onClick={() => void family()} hint="One spread a recipe, matched to the same loudness, drawn as one job">
            Draw a family of {total}
          </Do>
        )}
        {kept.data?.length === 0 && (
          <Box color="dim">Kept recipes can be used on other designs, and several drawn as a family: light, medium, heavy.</Box>
        )}
      </Flex>
    </Fold>
  );
}
