/** A scene as a document, and its mix as the document placements are edited in. */
import { useMemo } from "react";
import type { Mix, Schemas } from "../../api/client";
import { type History, useDocument } from "../../documents/useDocument";
import { queries } from "../../session/store";
import type { Scene } from "./frames";

type View = Schemas["SceneView"];

/** What is kept of a scene. */
interface Named {
  name: string;
  scene: Scene;
}

export function useScene(view: View) {
  const document = useDocument({
    kind: "scene",
    id: view.id,
    first: { name: view.name, scene: view.scene },
    revision: view.revision,
    called: view.name,
    docOf: ({ name, scene }): Named => ({ name, scene }),
    bodyOf: (doc) => doc,
    onShown: () => {
      for (const key of ["scenes", "counts", "wanted"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
  const { change, accept, now } = document;
  const { name, scene } = document.doc ?? { name: view.name, scene: view.scene };
  const history = useMemo((): History<Mix> => {
    const whole = (mix: Mix): Named => {
      const before = now() as Named;
      return { ...before, scene: { ...before.scene, mix } };
    };
    return {
      ...document,
      doc: scene.mix as Mix,
      now: () => (now()?.scene.mix as Mix | undefined) ?? null,
      change: (mix, gesture) => change(whole(mix), gesture),
      accept: (mix, revision, gesture) => accept(whole(mix), revision, gesture),
    };
  }, [document, scene.mix, change, accept, now]);
  const latest = () => now()?.scene ?? scene;
  /** Change fields of the scene. */
  const edit = (values: Partial<Scene>, gesture?: string) => change({ ...(now() as Named), scene: { ...latest(), ...values } }, gesture);
  const rename = (wanted: string) => {
    const before = now();
    if (wanted.trim() && before) change({ ...before, name: wanted.trim() });
  };
  return { name, scene, mix: scene.mix as Mix, history, edit, latest, rename, saved: document.saved };
}

export type Editing = ReturnType<typeof useScene>;
