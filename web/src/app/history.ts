/** Undo and redo for an editor's document: every change is one state, kept by the server as it is made. */
import { useCallback, useRef, useState } from "react";

export interface History<T> {
  doc: T | null;
  /** Change the document; changes with the same ``gesture`` that follow each other are one step of undo. */
  change: (next: T, gesture?: string) => void;
  /** Take in a change that the server made and keeps already. */
  accept: (next: T, gesture?: string) => void;
  undo: () => void;
  redo: () => void;
  canUndo: boolean;
  canRedo: boolean;
  /** Begin anew with a loaded document. */
  load: (doc: T | null) => void;
  /** Resolves when the server keeps the present state. */
  saved: () => Promise<void>;
}

const DEEP = 300;

export function useHistory<T>(save: (doc: T) => Promise<unknown>): History<T> {
  const [doc, setDoc] = useState<T | null>(null);
  const past = useRef<T[]>([]);
  const future = useRef<T[]>([]);
  const now = useRef<T | null>(null);
  const last = useRef<{ gesture?: string; at: number }>({ at: 0 });
  const saving = useRef(save);
  saving.current = save;
  const queued = useRef<{ doc: T } | null>(null);
  const running = useRef<Promise<void> | null>(null);
  /** One save at a time, the newest state last: states can neither pass each other nor pile up. */
  const keep = useCallback((next: T) => {
    queued.current = { doc: next };
    running.current ??= (async () => {
      while (queued.current) {
        const { doc: latest } = queued.current;
        queued.current = null;
        await saving.current(latest);
      }
      running.current = null;
    })();
  }, []);
  const saved = useCallback(() => running.current ?? Promise.resolve(), []);

  const put = useCallback(
    (next: T) => {
      now.current = next;
      setDoc(next);
      keep(next);
    },
    [keep],
  );
  /** Put the present state behind us, unless the same gesture goes on. */
  const remember = useCallback((gesture?: string) => {
    const time = Date.now();
    const same = gesture !== undefined && last.current.gesture === gesture && time - last.current.at < 900;
    if (now.current !== null && !same) past.current = [...past.current.slice(-DEEP), now.current];
    last.current = { gesture, at: time };
    future.current = [];
  }, []);
  const change = useCallback(
    (next: T, gesture?: string) => {
      remember(gesture);
      put(next);
    },
    [put, remember],
  );
  const accept = useCallback(
    (next: T, gesture?: string) => {
      remember(gesture);
      now.current = next;
      setDoc(next);
    },
    [remember],
  );
  const undo = useCallback(() => {
    const before = past.current.pop();
    if (before === undefined || now.current === null) return;
    future.current.push(now.current);
    last.current = { at: 0 };
    put(before);
  }, [put]);
  const redo = useCallback(() => {
    const next = future.current.pop();
    if (next === undefined || now.current === null) return;
    past.current.push(now.current);
    last.current = { at: 0 };
    put(next);
  }, [put]);
  const load = useCallback((fresh: T | null) => {
    past.current = [];
    future.current = [];
    now.current = fresh;
    setDoc(fresh);
  }, []);
  return { doc, change, accept, undo, redo, load, saved, canUndo: past.current.length > 0, canRedo: future.current.length > 0 };
}
