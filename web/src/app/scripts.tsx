/** The stages: their scripts are loaded when they are looked at. */
import { type ComponentType, lazy, useState } from "react";

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

const loaded: Partial<Record<Slug, ComponentType>> = {};

export const isStage = (slug: string): slug is Slug => Object.hasOwn(SCRIPTS, slug);

/** Load the script of a stage, if it is not here yet. */
export async function load(slug: Slug): Promise<{ default: ComponentType }> {
  const script = await SCRIPTS[slug]();
  loaded[slug] = script.default;
  return script;
}

const later: Partial<Record<Slug, ComponentType>> = {};

function comes(slug: Slug): ComponentType {
  later[slug] ??= lazy(() => load(slug));
  return later[slug];
}

/** A stage; drawn with what is around it when its script is here already. */
export function Stage({ slug }: { slug: Slug }) {
  const [Shown] = useState(() => loaded[slug] ?? comes(slug));
  return <Shown />;
}
