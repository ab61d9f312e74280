import type { History } from "./document";
import { Do } from "./parts";

/** Undo and redo of an editor; ``back`` is how a step back is taken where it must wait its turn. */
export function UndoRedo<T>({ history, back = (way) => way() }: { history: History<T>; back?: (way: () => void) => void }) {
  return (
    <>
      <Do act="undo" disabled={!history.canUndo} onClick={() => back(history.undo)}>
        Undo
      </Do>
      <Do act="redo" disabled={!history.canRedo} onClick={() => back(history.redo)}>
        Redo
      </Do>
    </>
  );
}
