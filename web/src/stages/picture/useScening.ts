/** What is done to a scene: cues set, sounds placed by frame, tapped in, replaced, fitted; each one change of the document. */
import { api, type Group, got, type Member, type Mix, type Schemas } from "../../api/client";
import { about } from "../../bench/told";
import { useListening } from "../../listening/state";
import { changed, shifted } from "../../mix/edits";
import { freshId } from "../../mix/fresh";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { useNewest } from "../../ui/useNewest";
import type { Candidate } from "./Candidates";
import { useAt } from "./film";
import { type Cue, frameAt, momentOf, type Place, type Scene } from "./frames";
import type { Tonal } from "./TonalBed";
import type { Editing } from "./useScene";

/** So many frames a cue and what is placed may lie apart and still belong together. */
const NEAR = 2;

type Placements = Schemas["Placements"];

export function useScening(editing: Editing) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const { latest, edit } = editing;
  const { value: tried, set: setTried, ask: askTried } = useNewest<{ candidate: Candidate; mix: Mix }>();
  const onto = (scene: Scene, search = "") => ({
    frame_rate: scene.frame_rate,
    frames: scene.frames,
    groups: (scene.mix?.groups ?? []) as Group[],
    group: "",
    search,
  });
  const withPlaced = (mix: Mix, placed: Placements): Mix => ({
    ...mix,
    members: [...mix.members, ...(placed.members as Member[])],
    groups: placed.groups as Group[],
  });

  /** Take placements in; the cue they answer, by its id or by lying at it, names them. */
  const takeIn = (placed: Placements, cueId?: string): string[] => {
    const scene = latest();
    const ids = placed.members.map((one) => one.id ?? "");
    const cues = (scene.cues ?? []).map((cue) => {
      const own = placed.members.filter((one) => {
        const frame = frameAt(one.at_s ?? 0, scene);
        return cueId ? cue.id === cueId : frame >= cue.frame - NEAR && frame <= (cue.until ?? cue.frame) + NEAR;
      });
      return own.length ? { ...cue, placed: [...(cue.placed ?? []), ...own.map((one) => one.id ?? "")] } : cue;
    });
    edit({ mix: withPlaced(scene.mix as Mix, placed), cues });
    return ids;
  };
  const ask = (frame: number, { kind, id, search }: Candidate) => {
    const own = { sounds: [] as number[], designs: [] as number[], draws: [] as number[] };
    own[`${kind}s`].push(id);
    return got(
      api.POST("/api/lib/{library}/picture/place", { params: { path: { library } }, body: { onto: onto(latest(), search), frame, ...own } }),
    );
  };
  const place = async (frame: number, candidate: Candidate, cue?: string): Promise<string[]> => {
    try {
      setTried(null);
      return takeIn(await ask(frame, candidate), cue);
    } catch (error) {
      complain(error);
      return [];
    }
  };
  /** Have the scene heard with a candidate in it, or as it is; whether that is what was wished last. */
  const tryAt = async (frame: number, candidate: Candidate | null): Promise<boolean> => {
    try {
      if (candidate) return await askTried(ask(frame, candidate).then((placed) => ({ candidate, mix: withPlaced(latest().mix as Mix, placed) })));
      setTried(null);
    } catch (error) {
      complain(error);
    }
    return false;
  };
  const fill = async (sound: number, frame: number, until: number, cue?: string): Promise<string[]> => {
    try {
      setTried(null);
      const placed = await got(
        api.POST("/api/lib/{library}/picture/fill", { params: { path: { library } }, body: { onto: onto(latest()), sound, frame, until } }),
      );
      return takeIn(placed, cue);
    } catch (error) {
      complain(error);
      return [];
    }
  };
  /** A tonal bed over a range, for a cue; in place of one that lies there, with the level, place and chain that one has. */
  const tone = async (frame: number, until: number, tonal: Tonal, cue: string, before: Member | undefined): Promise<string[]> => {
    try {
      setTried(null);
      const placed = await got(
        api.POST("/api/lib/{library}/picture/tonal", { params: { path: { library } }, body: { onto: onto(latest()), frame, until, ...tonal } }),
      );
      const [bed] = placed.members;
      const voices = bed.node.kind === "mix" ? bed.node.members.map((one) => one.name) : [];
      tell(`${bed.name}: ${voices.join(", ")}.`);
      if (!before) return takeIn(placed, cue);
      const { id, gain_db, pan, back, width, mute, group, chain, colour } = before;
      const mix = latest().mix as Mix;
      edit({ mix: changed(mix, [id ?? ""], () => ({ ...bed, id, gain_db, pan, back, width, mute, group, chain, colour })) });
      return [id ?? ""];
    } catch (error) {
      complain(error);
      return [];
    }
  };
  const lay = async (taps: Schemas["Tap"][], lists: number[][], searches: string[], tapping: Schemas["Tapping"]): Promise<string[]> => {
    try {
      const placed = await got(
        api.POST("/api/lib/{library}/picture/tap", { params: { path: { library } }, body: { onto: onto(latest()), taps, lists, searches, tapping } }),
      );
      const ids = takeIn(placed);
      tell(`${ids.length} ${ids.length === 1 ? "sound lies" : "sounds lie"} on their frames.`);
      return ids;
    } catch (error) {
      complain(error);
      return [];
    }
  };
  const found = async (words: string, limit: number) =>
    (
      await got(
        api.GET("/api/lib/{library}/sounds", {
          params: { path: { library }, query: { q: words, limit, sort: "name", descending: false, offset: 0, project } },
        }),
      )
    ).rows.map((row) => row.id);
  const replaceRun = async (ids: string[], words: string) => {
    try {
      const sounds = await found(words, 200);
      if (!sounds.length) return tell(`No sound is found by “${words}”.`, true);
      const scene = latest();
      const members = (scene.mix?.members ?? []).filter((one) => ids.includes(one.id ?? ""));
      const done = await got(api.POST("/api/lib/{library}/picture/replace", { params: { path: { library } }, body: { members, sounds } }));
      const fresh = new Map(done.members.map((one) => [one.id, one as Member]));
      edit({ mix: changed(latest().mix as Mix, ids, (one) => fresh.get(one.id) ?? {}) });
    } catch (error) {
      complain(error);
    }
  };
  const fit = async (id: string, seconds: number) => {
    try {
      const mix = latest().mix as Mix;
      const done = await about(mix, (digest) =>
        got(api.POST("/api/lib/{library}/picture/fit", { params: { path: { library } }, body: { mix: { digest }, id, seconds } })),
      );
      edit({ mix: changed(latest().mix as Mix, [id], () => ({ stretch: done.members[0].stretch })) });
    } catch (error) {
      complain(error);
    }
  };
  /** A fitting sound of the search of a key, dropped at the playhead. */
  const drop = async (key: string) => {
    const bound = latest().keys?.find((one) => one.key === key);
    if (!bound?.search?.trim()) return tell(`Key ${key} drops nothing yet: give it a search in the scene's panel.`);
    const sounds = await found(bound.search, 200).catch(complain);
    if (!sounds?.length) return tell(`No sound is found by “${bound.search}”.`, true);
    return await place(useAt.getState().frame, { kind: "sound", id: sounds[Math.floor(Math.random() * sounds.length)], search: bound.search });
  };
  /** Into the group of a name; it is made when there is none. */
  const toGroup = (ids: string[], name: string) => {
    const mix = latest().mix as Mix;
    const known = mix.groups.find((one) => one.name === name);
    const id = known?.id ?? freshId("group");
    const groups = known
      ? mix.groups
      : [...mix.groups, { id, name, gain_db: 0, pan: 0, back: 0, width: 1, mute: false, chain: [], colour: "" as const, frozen: null }];
    edit({ mix: { ...changed(mix, ids, () => ({ group: id })), groups } });
  };

  const addCue = (values: Partial<Cue> & { frame: number }): string => {
    const id = freshId("cue");
    const cue: Cue = { id, name: "", until: null, priority: 2, notes: "", done: false, wanted: null, placed: [], ...values };
    edit({ cues: [...(latest().cues ?? []), cue] });
    return id;
  };
  /** What is placed at a cue moves along with it. */
  const editCue = (id: string, values: Partial<Cue>, gesture?: string) => {
    const scene = latest();
    const before = (scene.cues ?? []).find((one) => one.id === id);
    const by = before && values.frame !== undefined ? momentOf(values.frame, scene) - momentOf(before.frame, scene) : 0;
    const mix = by ? { mix: shifted(scene.mix as Mix, before?.placed ?? [], by) } : {};
    const cues = (scene.cues ?? []).map((one) => (one.id === id ? { ...one, ...values } : one));
    edit({ ...mix, cues }, gesture ? `${id} ${gesture}` : undefined);
  };
  const removeCue = (id: string) => edit({ cues: (latest().cues ?? []).filter((one) => one.id !== id) });
  const addPlace = (frame: number, until: number): string => {
    const id = freshId("place");
    const own: Place = { id, name: "", frame, until, space: "hall", size: 1, amount: "near", amounts: {} };
    edit({ places: [...(latest().places ?? []), own] });
    return id;
  };
  const editPlace = (id: string, values: Partial<Place>, gesture?: string) =>
    edit({ places: (latest().places ?? []).map((one) => (one.id === id ? { ...one, ...values } : one)) }, gesture ? `${id} ${gesture}` : undefined);
  const removePlace = (id: string) => edit({ places: (latest().places ?? []).filter((one) => one.id !== id) });
  /** The part that is marked, in frames; from the playhead to the end where none is. */
  const marked = (): [number, number] => {
    const scene = latest();
    const { loop } = useListening.getState();
    if (loop) return [frameAt(loop[0], scene), Math.max(frameAt(loop[0], scene) + 1, Math.min(scene.frames, frameAt(loop[1], scene)))];
    return [useAt.getState().frame, scene.frames];
  };
  /** A cue at the playhead for the first entry of the wanted list that has none. */
  const cueFromWanted = async (frame: number): Promise<string | null> => {
    try {
      const list = await got(api.GET("/api/lib/{library}/wanted", { params: { path: { library }, query: { project } } }));
      const known = new Set((latest().cues ?? []).map((one) => one.wanted));
      const next = list.entries.find((one) => !known.has(one.id) && one.state !== "done");
      if (!next) {
        tell(
          list.entries.length ? "Every open entry of the wanted list has a cue here." : "The wanted list is empty; press 6 to write what is needed.",
        );
        return null;
      }
      return addCue({ frame, name: next.what, priority: next.priority as 1 | 2 | 3, wanted: next.id, notes: next.notes });
    } catch (error) {
      complain(error);
      return null;
    }
  };
  const cuesFromShots = (shots: number[]) => {
    const cues = latest().cues ?? [];
    const fresh = shots.filter((frame) => !cues.some((one) => Math.abs(one.frame - frame) <= NEAR));
    if (!fresh.length) return tell("Every shot change has a cue already.");
    const own = fresh.map(
      (frame, i): Cue => ({
        id: freshId("cue"),
        name: `Shot ${i + 2}`,
        frame,
        until: null,
        priority: 2,
        notes: "",
        done: false,
        wanted: null,
        placed: [],
      }),
    );
    edit({ cues: [...cues, ...own] });
  };
  return {
    ...{
      tried,
      tryAt,
      place,
      fill,
      tone,
      lay,
      replaceRun,
      fit,
      drop,
      toGroup,
      addCue,
      editCue,
      removeCue,
      addPlace,
      editPlace,
      removePlace,
      marked,
    },
    ...{ cueFromWanted, cuesFromShots },
  };
}
