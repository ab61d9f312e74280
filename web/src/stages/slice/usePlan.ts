/** The slice plan of a sound as a document: what changes it goes to the server one after the other, in the order of the keys pressed. */
import { useRef, useState } from "react";
import { api, got, type Plan, type Schemas, type Slice } from "../../api/client";
import { useDocument } from "../../documents/useDocument";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";

export type PlanView = Schemas["PlanView"];
export type Edit = Schemas["Edited"]["edit"];
/** A slice with its place in the plan, counted from 1. */
export type Piece = Slice & { no: number };

export function usePlan(loaded: PlanView) {
  const library = useShared((state) => state.library);
  const [view, setView] = useState(loaded);
  const path = { library, id: loaded.sound };
  const history = useDocument({
    kind: "plan",
    id: loaded.sound,
    first: loaded.plan,
    revision: loaded.revision,
    called: `The plan of ${loaded.name}`,
    docOf: (shown) => shown.plan,
    bodyOf: (plan: Plan) => plan,
    onShown: setView,
  });
  const plan = history.doc ?? loaded.plan;
  // what changes the plan goes to the server one after the other, in the order of the keys pressed
  const turn = useRef(Promise.resolve());
  const inTurn = (work: () => Promise<void>) => {
    turn.current = turn.current.then(work).catch(complain);
  };
  const asking = useRef(0);
  const find = (settings: Plan["settings"], gesture: string) => {
    const mine = ++asking.current;
    const asked = Date.now();
    setView((before) => ({ ...before, plan: { ...plan, settings } }));
    inTurn(async () => {
      if (mine !== asking.current) return; // newer settings wait already
      await history.saved();
      const fresh = await got(api.POST("/api/lib/{library}/plans/{id}/find", { params: { path }, body: settings }));
      setView(fresh);
      history.accept(fresh.plan, fresh.revision, gesture, asked);
    });
  };
  const edit = (change: Edit, gesture?: string) => {
    const asked = Date.now();
    return inTurn(async () => {
      await history.saved();
      const fresh = await got(api.POST("/api/lib/{library}/plans/{id}/edit", { params: { path }, body: { edit: change } }));
      setView(fresh);
      history.accept(fresh.plan, fresh.revision, gesture, asked);
    });
  };
  const back = (way: () => void) =>
    inTurn(async () => {
      way();
      await history.saved();
    });
  const finish = (values: Partial<Plan["finish"]>, gesture?: string) => history.change({ ...plan, finish: { ...plan.finish, ...values } }, gesture);
  const deal = (settings: Plan["kitting"]) => {
    const asked = Date.now();
    inTurn(async () => {
      await history.saved();
      const fresh = await got(api.POST("/api/lib/{library}/plans/{id}/kits", { params: { path }, body: settings }));
      setView(fresh);
      history.accept(fresh.plan, fresh.revision, undefined, asked);
    });
  };
  /** Wait until all that was changed here is kept. */
  const saved = async () => {
    await turn.current;
    await history.saved();
  };
  const change = (values: Partial<Plan>, gesture?: string) => history.change({ ...plan, ...values }, gesture);
  /** Find and finish as the plan of another sound does; one step of undo for each of both. */
  const like = async (sound: number) => {
    try {
      const other = await got(api.GET("/api/lib/{library}/plans/{id}", { params: { path: { library, id: sound } } }));
      const { finish: its, names, kitting, settings } = other.plan;
      change({ finish: its, names, kitting });
      find(settings, `like ${sound}`);
      tell(`Slices are found and finished as those of ${other.name}.`);
    } catch (error) {
      complain(error);
    }
  };
  const make = () => got(api.POST("/api/lib/{library}/plans/{id}/make", { params: { path } }));
  return { view, plan, history, find, edit, back, finish, change, deal, like, saved, make };
}
