/** What is said of the variations of a spread: a document; and which of them were heard. */
import { useRef } from "react";
import { api, got, type Schemas } from "../../api/client";
import { useDocument } from "../../documents/useDocument";
import { queries, useShared } from "../../session/store";
import { complain } from "../../ui/messages";

export type Draw = Schemas["DrawView"];
type Said = Schemas["Judgements"];
type States = NonNullable<Said["states"]>;

/** Variations with what is said of them; one of which nothing changed stays the same object, so that it need not be drawn anew. */
export function useSaid(all: readonly Draw[] | undefined, stateOf: (draw: Draw) => Draw["state"]): Draw[] {
  const known = useRef({ of: new Map<number, { read: Draw; said: Draw }>(), list: [] as Draw[] });
  const before = known.current;
  const list = (all ?? []).map((read) => {
    const state = stateOf(read);
    const one = before.of.get(read.id);
    if (one?.read === read && one.said.state === state) return one.said;
    const said = state === read.state ? read : { ...read, state };
    before.of.set(read.id, { read, said });
    return said;
  });
  if (list.length !== before.list.length || list.some((one, place) => one !== before.list[place])) before.list = list;
  return before.list;
}

const NOBODY: Said = { states: {}, numbers: {} };

export function useJudgements(spread: Schemas["SpreadView"] | undefined) {
  const library = useShared((state) => state.library);
  const number = spread?.id ?? 0;
  const key = ["spread", library, number];
  const history = useDocument({
    kind: "spread",
    id: number,
    first: spread?.judged ?? NOBODY,
    revision: spread?.revision ?? 0,
    called: `What you said of ${spread?.name ?? "this spread"}`,
    docOf: (shown) => shown.judged,
    bodyOf: (judged: Said) => judged,
    onShown: (shown) => {
      // what is drawn by another number shows so as soon as it is known
      const same = queries.getQueryData<Schemas["SpreadView"]>(key)?.all.map((draw) => shown.judged.numbers[draw.id] === draw.number);
      queries.setQueryData<Schemas["SpreadView"]>(key, (before) => before && { ...before, ...shown });
      void queries.invalidateQueries({ queryKey: ["spreads"] });
      if (same?.includes(false)) void queries.invalidateQueries({ queryKey: key });
    },
  });
  const said = (history.doc ?? NOBODY).states ?? {};
  /** Whether a variation is kept, dropped, or neither. */
  const stateOf = (draw: Draw): Draw["state"] => {
    const one: Draw["state"] | undefined = said[draw.id];
    if (one) return one;
    return draw.state === "kept" || draw.state === "dropped" ? "heard" : draw.state;
  };
  const toggle = (draw: Draw, state: "kept" | "dropped") => {
    const now = history.now() ?? NOBODY;
    const { [draw.id]: before, ...others }: States = now.states ?? {};
    history.change({ ...now, states: before === state ? others : { ...others, [draw.id]: state } });
  };
  /** Keep these and no others; what is dropped stays so. One step of undo. */
  const keepOnly = (ids: readonly number[]) => {
    const now = history.now() ?? NOBODY;
    const dropped = Object.entries(now.states ?? {}).filter(([id, state]) => state === "dropped" && !ids.includes(Number(id)));
    history.change({ ...now, states: { ...Object.fromEntries(dropped), ...Object.fromEntries(ids.map((id) => [id, "kept" as const])) } });
  };
  /** Draw the dropped ones anew, by numbers the server gives. One step of undo. */
  const redraw = async () => {
    await history.saved();
    try {
      const asked = Date.now();
      const made = await got(api.POST("/api/lib/{library}/spreads/{id}/redraw", { params: { path: { library, id: number } } }));
      history.accept(made.judged, made.revision, undefined, asked);
      void queries.invalidateQueries({ queryKey: ["spread"] });
    } catch (error) {
      complain(error);
    }
  };
  const heard = async (draw: Draw) => {
    if (draw.state !== "unheard") return;
    queries.setQueryData<Schemas["SpreadView"]>(
      key,
      (before) => before && { ...before, all: before.all.map((one) => (one.id === draw.id ? { ...one, state: "heard" } : one)) },
    );
    await got(api.POST("/api/lib/{library}/draws/{id}/heard", { params: { path: { library, id: draw.id } } })).catch(complain);
  };
  return { history, stateOf, toggle, keepOnly, redraw, heard };
}
