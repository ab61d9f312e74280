/** The scripts of the stages: they are loaded when a stage is looked at. */
import type { ComponentType } from "react";

const SCRIPTS = {
  gather: () => import("../stages/gather/Gather"),
  mend: () => import("../stages/mend/Mend"),
  stack: () => import("../stages/stack/Stack"),
  vary: () => import("../stages/vary/Vary"),
  slice: () => import("../stages/slice/Slice"),
  ship: () => import("../stages/ship/Ship"),
  picture: () => import("../stages/picture/Picture"),
};

export type Slug = keyof typeof SCRIPTS;

/** The stages whose scripts are here. */
export const loaded: Partial<Record<Slug, ComponentType>> = {};

export const isStage = (slug: string): slug is Slug => Object.hasOwn(SCRIPTS, slug);

/** Load the script of a stage, if it is not here yet. */
export async function load(slug: Slug): Promise<{ default: ComponentType }> {
  const script = await SCRIPTS[slug]();
  loaded[slug] = script.default;
  return script;
}
