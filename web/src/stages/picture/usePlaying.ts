/** What is heard with the film: the scene in its rooms, exactly as long as the film, with its own sound where that is wanted. */
import { useMemo } from "react";
import { api, got } from "../../api/client";
import type { Within } from "../../bench/useMeters";
import { frameRate } from "../../canvas/ruler";
import { useShared } from "../../session/store";
import { useAt } from "./film";
import type { Film, Scene } from "./frames";

/** The level (dB) of the film's own sound where it is heard along. */
export const guideOf = (scene: Scene, film: Film) => (scene.guide && film.guide ? (scene.guide_db ?? 0) : null);

/** The digest of a scene as it is heard, by that of its mix. */
export async function heardOf(library: string, scene: Omit<Scene, "mix">, digest: string, guide_db: number | null): Promise<string> {
  const { film, frame_rate, frames, places = [] } = scene;
  const body = { mix: { digest }, film, frame_rate, frames, places, guide_db };
  return (await got(api.POST("/api/lib/{library}/picture/heard", { params: { path: { library } }, body }))).digest;
}

export function useWithin(scene: Scene, film: Film): Within {
  const library = useShared((state) => state.library);
  const guide = guideOf(scene, film);
  const places = JSON.stringify(scene.places ?? []);
  return useMemo(() => {
    const shown = { film: scene.film, frame_rate: scene.frame_rate, frames: scene.frames, places: JSON.parse(places) } as Scene;
    const ask = (digest: string, guide_db: number | null) => heardOf(library, shown, digest, guide_db);
    return {
      key: [places, scene.frame_rate, scene.frames, guide],
      plain: (digest) => ask(digest, null),
      heard: (digest) => ask(digest, guide),
      at: () => useAt.getState().frame / frameRate(scene.frame_rate).exact,
    };
  }, [library, places, guide, scene.film, scene.frame_rate, scene.frames]);
}
