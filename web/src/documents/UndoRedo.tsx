import { Do } from "../ui/buttons";
import type { History } from "./useDocument";

/** What can be undone and done again. */
export type Undoing = Pick<History<unknown>, "undo" | "redo" | "canUndo" | "canRedo">;

/** Undo and redo of an editor; ``back`` is how a step back is taken where it must wait its turn. */
export function UndoRedo({ history, back = (way) => way() }: { history: Undoing; back?: (way: () => void) => void }) {
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
