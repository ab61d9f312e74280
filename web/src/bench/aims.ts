/** Which numbers of a layer an envelope may move: its own, and those of its steps. */
import type { Control, Schemas } from "../api/client";
import type { Moved } from "../mix/edits";
import { usual } from "../ui/controls";

export type Placed = Schemas["Placed"];
export type Layout = Schemas["Layout"];

/** What an envelope moves, and the range it is drawn over. */
export interface Aim extends Moved {
  label: string;
  unit: string;
  low: number;
  high: number;
  log?: boolean;
  normal: number;
}

/** A control as what an envelope moves; of a layer's own the points are added to its value, of a step's they stand in place of it. */
export function aimAt(control: Control, normal = 0): Aim {
  const [low, high] = usual(control);
  return { control: control.name, label: control.label, unit: control.unit, low, high, log: control.scale === "log" && low > 0, normal };
}
