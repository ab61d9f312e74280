/** What is asked of the server for Vary: draws made, drawn anew, printed, put on the sheet; recipes kept and fitted. */
import { api, type Freedom, got, type Mix, type Node, type Recipe, type Schemas } from "../../api/client";
import { addToSheet, putOnSheet } from "../../between/sheet";
import { openToHear } from "../../listening/opening";
import { player } from "../../listening/player";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";

/** What a variation is made of; asked for when it is heard, so that hundreds of them are listed at once. */
export const mixOf = (library: string, draw: number): Promise<Mix> =>
  queries.fetchQuery({
    queryKey: ["drawn", library, draw],
    staleTime: 60_000,
    queryFn: async () => (await got(api.GET("/api/lib/{library}/draws/{id}", { params: { path: { library, id: draw } } }))).mix,
  });

/** Show a spread that was begun, and wait until it is drawn. */
async function begun(started: Schemas["Started"]) {
  if (started.id != null) useShared.setState({ spread: started.id });
  for (const key of ["spreads", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
  await whenDone(started.job, "vary");
}

const here = () => useShared.getState().library;

/** The recipe a design begins with: every layer a little; undefined when it cannot be had. */
export const firstRecipe = (design: number): Promise<Recipe | undefined> =>
  queries
    .fetchQuery({
      queryKey: ["recipe", here(), design],
      queryFn: () => got(api.GET("/api/lib/{library}/designs/{id}/recipe", { params: { path: { library: here(), id: design } } })),
    })
    .catch((error) => {
      complain(error);
      return undefined;
    });

/** Draw variations of a design, or of what another spread was drawn from. */
export async function drawSpread(of: { design: number } | { spread: number }, recipe: Recipe, seed: number, count: number) {
  try {
    const body = { design: null, spread: null, ...of, recipe, seed, count };
    await begun(await got(api.POST("/api/lib/{library}/spreads", { params: { path: { library: here() } }, body })));
  } catch (error) {
    complain(error);
  }
}

/** Draw more around a variation, or between it and another. */
export async function drawNear(spread: number, draw: number, other: number | null, seed: number, count: number) {
  try {
    const path = { library: here(), id: spread };
    await begun(await got(api.POST("/api/lib/{library}/spreads/{id}/near", { params: { path }, body: { draw, other, seed, count } })));
  } catch (error) {
    complain(error);
  }
}

/** Print the kept variations to the library and put them on the sheet. */
export async function printKept(spread: number) {
  try {
    const made = await got(api.POST("/api/lib/{library}/spreads/{id}/print", { params: { path: { library: here(), id: spread } } }));
    for (const key of ["sounds", "counts", "arrivals", "state"]) void queries.invalidateQueries({ queryKey: [key] });
    await putOnSheet({ sounds: made });
    tell(`${made.length} variations are in the library and on the sheet of Ship.`);
  } catch (error) {
    complain(error);
  }
}

/** The kept ones leave from the sheet as they are, without being printed. */
export async function keptToSheet(draws: readonly number[]) {
  if (draws.length) await addToSheet("draws", [...draws]);
  else tell("No variation is kept yet; keep one (K), then put it on the sheet.");
}

/** A variation as an ordinary design, opened in Stack. */
export async function openAsDesign(spread: string, number: number, recipe: Recipe, seed: number, draw: number): Promise<boolean> {
  try {
    const mix = await mixOf(here(), draw);
    const name = `${spread} ${number}, ${recipe.name || "its recipe"}, seed ${seed}`;
    const made = await got(
      api.POST("/api/lib/{library}/designs", {
        params: { path: { library: here() } },
        body: { name, mix, project: useShared.getState().project },
      }),
    );
    void queries.invalidateQueries({ queryKey: ["designs"] });
    useShared.setState({ design: made.id });
    return true;
  } catch (error) {
    complain(error);
    return false;
  }
}

/** The end of which freedom was heard last: the next press hears the other. */
let lastEnd = "";

/** Hear a design with one freedom at its lower end, then at its upper one. */
export async function hearEnds(design: number, freedom: Freedom, amount: number, called: string) {
  const library = here();
  try {
    const ends = await got(
      api.POST("/api/lib/{library}/designs/{id}/ends", { params: { path: { library, id: design } }, body: { freedom, amount } }),
    );
    const high = lastEnd === freedom.path;
    lastEnd = high ? "" : freedom.path;
    const opened = await openToHear({ node: (high ? ends.high : ends.low) as Node }, library, `${called}, ${high ? "upper" : "lower"} end`);
    if (opened) await player.play(opened);
  } catch (error) {
    complain(error);
  }
}
