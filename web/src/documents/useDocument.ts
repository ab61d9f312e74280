/** What an editor works on: loaded, changed, saved, taken back and recovered in one way. Every change is one state, kept by the server as it is made. */
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { Refused } from "../api/client";
import { onChanged } from "../session/jobs";
import { useShared } from "../session/store";
import { complain, tell } from "../ui/messages";
import { carried, KeptSteps, MOST_STEPS, type Step, turned } from "./steps";
import { type Answer, type Body, type Kind, keepChange, keepDocument, readDocument, type Shown } from "./wire";

export interface History<T> {
  doc: T | null;
  /** Change the document; changes with the same ``gesture`` that follow each other are one step of undo. */
  change: (next: T, gesture?: string) => void;
  /** Take in a change that the server made and keeps already, with its new revision; ``asked`` is when it was asked for (ms), however long that took. */
  accept: (next: T, revision: number, gesture?: string, asked?: number) => void;
  undo: () => void;
  redo: () => void;
  canUndo: boolean;
  canRedo: boolean;
  /** When what would be taken back next, and done again next, was done (ms since 1970); 0 when that is not known. */
  undoAt: number | null;
  redoAt: number | null;
  /** Whether the steps of earlier visits are here: before that nobody knows which of several documents was changed last. */
  known: boolean;
  /** Resolves when the server keeps the present state, or has refused it. */
  saved: () => Promise<void>;
  /** The document as it is now, also before the screen shows it. */
  now: () => T | null;
}

interface Editing<K extends Kind, T> {
  kind: K;
  /** Which one: others' changes of it are heard of. 0 while there is none, and nothing to change. */
  id: number;
  first: T;
  revision: number;
  /** What it is called in sentences. */
  called: string;
  /** The document in what a page is shown, and in a save that refused a part of it. */
  docOf: (view: Shown<K>) => T;
  bodyOf: (doc: T) => Body<K>;
  /** Another, shorter body of a save, where there is one. */
  shortOf?: (doc: T, keep: (body: Body<K>) => Promise<Answer<K>>) => Promise<Answer<K>>;
  /** What a read or a save answered. */
  onShown?: (view: Shown<K> | Answer<K>) => void;
}

const AGAIN_MS = 1500;
/** Browsers send this much after a page is left. */
const LEAVING_BYTES = 60_000;

function recovered(key: string): string | null {
  try {
    const text = localStorage.getItem(key);
    localStorage.removeItem(key);
    return text;
  } catch {
    return null;
  }
}

export function useDocument<K extends Kind, T>(editing: Editing<K, T>): History<T> {
  const { kind, id } = editing;
  const library = useShared((state) => state.library);
  const [doc, setDoc] = useState<T | null>(editing.first);
  const [, show] = useState(0);
  const [known, setKnown] = useState(false);
  const past = useRef<Step<T>[]>([]);
  const future = useRef<Step<T>[]>([]);
  const now = useRef<T>(editing.first);
  /** What the server keeps, and its revision. */
  const kept = useRef({ doc: editing.first, revision: editing.revision });
  const last = useRef<{ gesture?: string; at: number }>({ at: 0 });
  const present = useRef(editing);
  present.current = editing;
  const running = useRef<Promise<void> | null>(null);
  const steps = useMemo(
    () =>
      new KeptSteps<T>(
        kind,
        id,
        () => ({ past: past.current, future: future.current }),
        (left, right) => {
          past.current = past.current.slice(past.current.length - left);
          future.current = future.current.slice(future.current.length - right);
        },
      ),
    [kind, id],
  );
  const put = useCallback(
    (next: T) => {
      now.current = next;
      setDoc(next);
      show((n) => n + 1);
      steps.soon();
    },
    [steps],
  );

  /** What was refused is taken back; what was changed after it stays, as far as it does not build on it. */
  const takeBack = useCallback(
    (refused: T, sentence: string) => {
      const rest = now.current === refused ? kept.current.doc : (carried(refused, now.current, kept.current.doc) ?? kept.current.doc);
      past.current = past.current.filter((step) => !("after" in step && step.after === refused));
      put(rest);
      tell(`${sentence} That change was taken back.`, true);
    },
    [put],
  );

  /** Somebody else has changed it: their state is shown, and what was changed here and not kept is put on it where it fits. */
  const takeOver = useCallback(
    async (mine: T | null) => {
      const view = await readDocument({ kind, library, id });
      present.current.onShown?.(view);
      const theirs = { doc: present.current.docOf(view), revision: revisionOf(view) };
      const base = kept.current.doc;
      kept.current = theirs;
      future.current = [];
      if (mine === null || mine === base) {
        put(theirs.doc);
        return;
      }
      const both = carried(base, now.current, theirs.doc);
      put(both ?? theirs.doc);
      const { called } = present.current;
      if (both === null) past.current = [...past.current, { before: now.current, after: theirs.doc }];
      tell(
        both === null
          ? `${called} was changed in another window at the same place; that state is shown now, and your last change was not kept.`
          : `${called} was changed in another window; your change was put on what it is there.`,
        both === null,
      );
    },
    [put, kind, library, id],
  );

  /** One save at a time, the newest state last: states can neither pass each other nor pile up, and one that is refused stops none. */
  const keep = useCallback(() => {
    running.current ??= (async () => {
      while (now.current !== kept.current.doc) {
        const latest = now.current;
        try {
          const { bodyOf, docOf, shortOf, onShown } = present.current;
          const which = { kind, library, id };
          const { doc: base, revision } = kept.current;
          const answer = await (shortOf
            ? shortOf(latest, (body) => keepDocument(which, body, revision))
            : keepChange(which, bodyOf(base), bodyOf(latest), revision));
          kept.current = { doc: latest, revision: revisionOf(answer) };
          onShown?.(answer);
          const refused = refusedOf(answer);
          if (refused) {
            // a save that refuses a part answers with the whole document as it was kept
            const without = docOf(answer as Shown<K>);
            kept.current = { ...kept.current, doc: without };
            put(now.current === latest ? without : (carried(latest, now.current, without) ?? without));
            tell(refused, true);
          }
        } catch (error) {
          if (error instanceof Refused && error.status === 0) {
            complain(error);
            await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
          } else if (error instanceof Refused && error.status === 409) await takeOver(latest).catch(complain);
          else takeBack(latest, error instanceof Error ? error.message : String(error));
        }
      }
    })().finally(() => {
      running.current = null;
      show((n) => n + 1);
    });
  }, [put, takeBack, takeOver, kind, library, id]);
  const saved = useCallback(() => running.current ?? Promise.resolve(), []);

  /** Put the present state behind us, unless the same gesture goes on. */
  const remember = useCallback((next: T, gesture?: string, time = Date.now()) => {
    const step = past.current[past.current.length - 1];
    const same = step !== undefined && gesture !== undefined && last.current.gesture === gesture && time - last.current.at < 900;
    if (same && "after" in step && step.after === now.current)
      past.current = [...past.current.slice(0, -1), { before: step.before, after: next, at: time }];
    else past.current = [...past.current.slice(1 - MOST_STEPS), { before: now.current, after: next, at: time }];
    last.current = { gesture, at: time };
    future.current = [];
  }, []);
  const change = useCallback(
    (next: T, gesture?: string) => {
      remember(next, gesture);
      put(next);
      keep();
    },
    [put, remember, keep],
  );
  const accept = useCallback(
    (next: T, revision: number, gesture?: string, asked?: number) => {
      remember(next, gesture, asked);
      kept.current = { doc: next, revision };
      put(next);
    },
    [put, remember],
  );
  /** A step back or forth is made on the document as it is now: what another window changed meanwhile stays. */
  const turn = useCallback(
    (from: Step<T>[], to: Step<T>[], back: boolean) => {
      const step = from.pop();
      if (step === undefined) return;
      const next = turned(step, back, now.current);
      last.current = { at: 0 };
      if (next === null) {
        tell(`This cannot be ${back ? "undone" : "done again"}: what it changed was changed in another window since.`, true);
        show((n) => n + 1);
        return;
      }
      to.push({ ...(back ? { before: next, after: now.current } : { before: now.current, after: next }), at: step.at ?? 0 });
      put(next);
      keep();
    },
    [put, keep],
  );
  const undo = useCallback(() => turn(past.current, future.current, true), [turn]);
  const redo = useCallback(() => turn(future.current, past.current, false), [turn]);

  useEffect(() => {
    let here = true;
    setKnown(false);
    void steps
      .load()
      .then((before) => {
        if (!here) return;
        // what was done here meanwhile is newer; it has ended what could be done again
        if (!past.current.length && !future.current.length) future.current = before.future;
        else steps.soon();
        past.current = [...before.past, ...past.current].slice(-MOST_STEPS);
        show((n) => n + 1);
      })
      .catch(complain)
      .finally(() => here && setKnown(true));
    return () => {
      here = false;
    };
  }, [steps]);
  useEffect(
    () =>
      onChanged(kind, id, () => {
        // what is being sent here is answered by its own conflict
        if (running.current === null && now.current === kept.current.doc) void takeOver(null).catch(() => {});
      }),
    [kind, id, takeOver],
  );
  useEffect(() => {
    const key = `unsent ${useShared.getState().library} ${kind} ${id}`;
    const left = recovered(key);
    if (left !== null) {
      const { doc: mine, revision } = JSON.parse(left) as { doc: T; revision: number };
      if (revision === kept.current.revision) {
        remember(mine);
        put(mine);
        keep();
      } else {
        // one step of redo away: nothing that was made is gone
        future.current = [{ before: kept.current.doc, after: mine }];
        tell(`${present.current.called} was changed since this page was left; what was not sent then is on Redo.`, true);
      }
    }
    const unsent = () => now.current !== kept.current.doc;
    const leave = () => {
      steps.leave();
      if (!unsent()) return;
      const body = present.current.bodyOf(now.current);
      // the last state is sent even while an older one is on its way: whichever comes second, the newest is kept
      if (JSON.stringify(body).length < LEAVING_BYTES) void keepDocument({ kind, library, id }, body, undefined, true).catch(() => {});
      else localStorage.setItem(key, JSON.stringify({ doc: now.current, revision: kept.current.revision }));
    };
    const ask = (event: BeforeUnloadEvent) => {
      if (unsent() && JSON.stringify(now.current).length >= LEAVING_BYTES) event.preventDefault();
    };
    window.addEventListener("pagehide", leave);
    window.addEventListener("beforeunload", ask);
    return () => {
      steps.leave();
      window.removeEventListener("pagehide", leave);
      window.removeEventListener("beforeunload", ask);
    };
  }, [kind, library, id, keep, put, remember, steps]);
  return {
    doc,
    change,
    accept,
    undo,
    redo,
    saved,
    now: useCallback(() => now.current, []),
    canUndo: past.current.length > 0,
    canRedo: future.current.length > 0,
    undoAt: madeAt(past.current),
    redoAt: madeAt(future.current),
    known,
  };
}

/** Every view of a document says its revision. */
const revisionOf = (view: object): number => (view as { revision?: number }).revision ?? 0;
const refusedOf = (view: object): string => (view as { refused?: string }).refused ?? "";

function madeAt<T>(steps: Step<T>[]): number | null {
  return steps.length ? (steps[steps.length - 1].at ?? 0) : null;
}

/** Several documents of one editor undone as one: what was done last is taken back first, and done again last. */
export function together(...all: Pick<History<unknown>, "undo" | "redo" | "undoAt" | "redoAt" | "known">[]) {
  const known = all.every((one) => one.known);
  const last = Math.max(...all.map((one) => one.undoAt ?? -1));
  const next = Math.min(...all.map((one) => one.redoAt ?? Number.POSITIVE_INFINITY));
  // what was changed in one of them after a step back in another has ended what could be done again
  const canRedo = known && next !== Number.POSITIVE_INFINITY && next >= last;
  const canUndo = known && last >= 0;
  return {
    canUndo,
    canRedo,
    undo: () => canUndo && all.find((one) => one.undoAt === last)?.undo(),
    redo: () => canRedo && all.find((one) => one.redoAt === next)?.redo(),
  };
}
