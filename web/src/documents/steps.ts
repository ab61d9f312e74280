/** Steps of undo: patches between states, and how the server keeps them, so that they are there after a reload and after a week. */
import { applyPatch, compare, deepClone, type Operation } from "fast-json-patch";
import { api, got, Refused, type Schemas } from "../api/client";
import { useShared } from "../session/store";
import type { Kind } from "./wire";

type Patches = Schemas["StepBack"];

/** A step as it was made here, by its states, or as it was read, by its patches. */
export type Step<T> = { before: T; after: T; at?: number } | Patches;

/** As many as the server keeps. */
export const MOST_STEPS = 200;
const SOON_MS = 400;
/** Browsers send this much after a page is left. */
const LEAVING_BYTES = 60_000;

/** ``patch`` on another state, or null when it does not fit there. */
function patched<T>(onto: T, patch: Patches["back"]): T | null {
  try {
    return applyPatch(deepClone(onto) as T, patch as Operation[], true).newDocument;
  } catch {
    return null;
  }
}

/** The patch between two states, with the values it changes, so that what somebody else has changed since is not written over. */
function between<T>(from: T, to: T): Patches["back"] {
  return compare(from as object, to as object, true) as Patches["back"];
}

/** What leads from one state to another, put on a third; null when it does not fit. */
export function carried<T>(from: T, to: T, onto: T): T | null {
  return onto === from ? to : patched(onto, between(from, to));
}

/** A state with a step taken back, or done again; null when it does not fit there. */
export function turned<T>(step: Step<T>, back: boolean, onto: T): T | null {
  if ("before" in step) return back ? carried(step.after, step.before, onto) : carried(step.before, step.after, onto);
  return patched(onto, back ? step.back : step.forth);
}

const patches = new WeakMap<object, Patches>();

function patchesOf<T>(step: Step<T>): Patches {
  if (!("before" in step)) return step;
  const known = patches.get(step);
  if (known) return known;
  const { before, after } = step;
  const made = { back: between(after, before), forth: between(before, after), at: step.at ?? 0 };
  patches.set(step, made);
  return made;
}

/** How many of ``now`` are the same, from the first on, as in ``before`` from a place on. */
function alike<T>(before: T[], at: number, now: T[]): number {
  let count = 0;
  while (count < now.length && at + count < before.length && before[at + count] === now[count]) count++;
  return count;
}

/** The steps of one document on the server; only what changed is sent. */
export class KeptSteps<T> {
  private past: Step<T>[] = [];
  private future: Step<T>[] = [];
  private version: number | undefined;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private turn: Promise<void> = Promise.resolve();
  private readonly library = useShared.getState().library;

  constructor(
    private readonly what: Kind,
    private readonly id: number,
    private readonly present: () => { past: Step<T>[]; future: Step<T>[] },
    private readonly shorten: (past: number, future: number) => void,
  ) {}

  private get at() {
    return { library: this.library, what: this.what, item: this.id };
  }

  /** What was done in earlier visits. */
  async load(): Promise<{ past: Step<T>[]; future: Step<T>[] }> {
    if (!this.id) return { past: [], future: [] }; // there is no such document yet
    const found = await got(api.GET("/api/lib/{library}/history/{what}/{item}", { params: { path: this.at } }));
    this.version = found.version;
    this.past = found.past;
    this.future = found.future;
    return { past: [...this.past], future: [...this.future] };
  }

  /** Keep the present steps in a moment. */
  soon() {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.send(), SOON_MS);
  }

  /** Keep them now: the page is being left. */
  leave() {
    if (this.timer === undefined || this.version === undefined) return;
    clearTimeout(this.timer);
    const change = this.change();
    if (JSON.stringify(change).length < LEAVING_BYTES) void this.put(change, this.version, true).catch(() => {});
  }

  private change(): Schemas["HistoryChange"] {
    const { past, future } = this.present();
    const first = past.length ? this.past.indexOf(past[0]) : -1;
    const drop = first < 0 ? this.past.length : first;
    const stay = alike(this.past, drop, past);
    const again = alike(this.future, 0, future);
    return { drop, stay, again, past: past.slice(stay).map(patchesOf), future: future.slice(again).map(patchesOf) };
  }

  private put(body: Schemas["HistoryChange"], basedOn: number | undefined, keepalive = false) {
    const params = { path: this.at, query: { based_on: basedOn } };
    return got(api.PUT("/api/lib/{library}/history/{what}/{item}", { params, body, keepalive }));
  }

  private send() {
    this.timer = undefined;
    this.turn = this.turn.then(async () => {
      if (this.version === undefined) return; // what was done before is not known yet
      const { past, future } = this.present();
      const now = { past: [...past], future: [...future] };
      try {
        const answer = await this.put(this.change(), this.version).catch((error) => {
          if (!(error instanceof Refused && error.status === 409)) throw error;
          // another window kept its own: the steps of who acted last are those that stay
          this.past = [];
          this.future = [];
          return this.put(this.change(), undefined);
        });
        this.version = answer.version;
        this.past = now.past.slice(now.past.length - answer.past);
        this.future = now.future.slice(now.future.length - answer.future);
        if (answer.past < now.past.length || answer.future < now.future.length) this.shorten(answer.past, answer.future);
      } catch {
        // undo works in this page all the same; it is tried again with the next change
      }
    });
  }
}
