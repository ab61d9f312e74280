/**
 * Before anything is drawn, and before what draws is made ready: what the first screen needs is asked for, and the script of its stage. Whoever
 * shows it asks again where this failed.
 */
import { MODELS, STATE } from "./api/questions";
import { isStage, load } from "./app/scripts";
import { enterLast, queries, useShared } from "./session/store";
import { ANYTHING, page } from "./stages/gather/sounds";

// before anything is shown: a redirect later could undo a click that came first
if (location.pathname === "/") history.replaceState(null, "", `/gather${location.search}`);

const stage = location.pathname.slice(1);
if (isStage(stage)) load(stage).catch(() => {});
void queries.prefetchQuery(MODELS);
void queries.prefetchQuery(STATE).then(() => {
  const state = queries.getQueryData(STATE.queryKey);
  if (!state) return;
  enterLast(state.libraries);
  const { library, project } = useShared.getState();
  if (library && stage === "gather") void queries.prefetchQuery(page(library, project, ANYTHING, 0));
});
