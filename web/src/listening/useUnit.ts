import { type Unit, unitAt } from "../canvas/ruler";
import { useProject } from "../session/projects";
import { useListening } from "./state";

/** What rulers and positions show; time code goes by the frame rate of the project that is worked in. */
export function useUnit(): Unit {
  const chosen = useListening((state) => state.ruler);
  return unitAt(chosen, useProject()?.frame_rate ?? "25");
}
