/** Kept versions of a scene, and how they are compared with what is now. */
import { api, got, type Mix, type Schemas } from "../../api/client";
import { about } from "../../bench/told";
import { useComparing } from "../../bench/useComparing";
import { useVersions } from "../../bench/useVersions";
import { loudnessOf, openToHear } from "../../listening/opening";
import type { Heard } from "../../listening/state";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import type { Film, Scene } from "./frames";
import { guideOf, heardOf } from "./usePlaying";
import type { Editing } from "./useScene";

export type SceneVersion = Schemas["SceneVersionView"];

export function useSceneVersions(id: number, editing: Editing, film: Film) {
  const library = useShared((state) => state.library);
  const { name, scene, edit } = editing;
  const versioning = useVersions({
    key: ["scene", library, id],
    kind: "scene_version",
    list: () => got(api.GET("/api/lib/{library}/scenes/{id}/versions", { params: { path: { library, id } } })),
    keep: (doc: Scene) =>
      got(api.POST("/api/lib/{library}/scenes/{id}/versions", { params: { path: { library, id } }, body: { name: "", notes: "", scene: doc } })),
    change: (version, values) =>
      got(api.PATCH("/api/lib/{library}/scene-versions/{id}", { params: { path: { library, id: version } }, body: values })),
  });
  const comparing = useComparing<SceneVersion>(versioning.list);
  const hear = (of: Scene, title: string) =>
    about(of.mix as Mix, async (digest) => openToHear({ told: await heardOf(library, of, digest, guideOf(of, film)) }, library, title));
  /** Hear the version compared with, as loud as what is now, or what is now again. */
  const compare = (now: Heard | undefined) =>
    void comparing
      .compare(now, async (version) => {
        const other = await hear(version.scene as Scene, name);
        if (!other || !now) return null;
        const [loud, against] = [await loudnessOf(now), await loudnessOf(other)];
        return { ...other, matchDb: loud === null || against === null ? 0 : loud - against };
      })
      .catch(complain);
  /** What the panel of versions needs besides hearing them in turn. */
  const panel = {
    ...{ versioning, comparing, now: scene },
    onKeep: () => void versioning.keep(scene),
    difference: (version: SceneVersion) =>
      got(
        api.POST("/api/lib/{library}/picture/difference", { params: { path: { library } }, body: { before: version.scene as Scene, after: scene } }),
      ),
    hearNow: () => hear(scene, "now"),
    hear: (version: SceneVersion) => hear(version.scene as Scene, version.name),
    onRestore: (version: SceneVersion) => {
      edit(version.scene as Scene);
      tell(`${version.name} is taken back; undo goes to what was before.`);
    },
  };
  return { ...comparing, compare, panel };
}

export type SceneVersions = ReturnType<typeof useSceneVersions>;
