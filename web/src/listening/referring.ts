/** The reference sound: on one key in every stage, at the loudness of what is worked on, never part of a print. */

import { api, got } from "../api/client";
import { useShared } from "../session/store";
import { complain, tell } from "../ui/messages";
import { openToHear } from "./opening";
import { live, MATCH_LUFS, player } from "./player";
import { type Heard, useListening } from "./state";

/** What was heard before the reference, and where (s). */
let before: { heard: Heard; at: number; playing: boolean } | null = null;

export function isReference(heard: Heard | null): boolean {
  return !!before && heard?.title.startsWith("Reference: ") === true;
}

/** Loudness (LUFS) of what is heard, as it comes out of the player. */
async function loudnessOf(heard: Heard): Promise<number | null> {
  const own = heard.lufs ?? (await got(api.GET("/api/heard/{digest}/loudness", { params: { path: { digest: heard.opened.digest } } }))).lufs;
  if (own === null) return null;
  const { matched } = useListening.getState();
  return own + heard.matchDb + (matched && heard.lufs !== null ? Math.min(24, MATCH_LUFS - heard.lufs) : 0);
}

/** Take a sound of the library as the reference. */
export async function refer(sound: number): Promise<void> {
  const { library } = useShared.getState();
  try {
    const facts = await got(api.GET("/api/lib/{library}/sounds/{id}", { params: { path: { library, id: sound } } }));
    useShared.setState({ reference: { sound, name: facts.name } });
    tell(`${facts.name} is the reference now; \` compares with it, in every stage.`);
  } catch (error) {
    complain(error);
  }
}

/** The reference, or back to what was heard, at the same place. */
export async function toggleReference(): Promise<void> {
  const { heard, playing } = useListening.getState();
  const { reference, library } = useShared.getState();
  if (before && isReference(heard)) {
    const { heard: back, at } = before;
    before = null;
    if (playing) await player.play(back, at);
    else player.show(back);
    return;
  }
  if (!reference) {
    if (heard?.sound) await refer(heard.sound);
    else tell("No reference is chosen yet: hear a sound of the library and press this key.");
    return;
  }
  try {
    const there = await openToHear({ sound: reference.sound }, library, `Reference: ${reference.name}`);
    if (!there) return;
    const own = await loudnessOf({ ...there, lufs: null });
    const wanted = heard ? await loudnessOf(heard) : null;
    before = heard ? { heard, at: live.position / heard.opened.rate, playing } : null;
    await player.play({ ...there, matchDb: own !== null && wanted !== null ? wanted - own : 0 });
  } catch (error) {
    complain(error);
  }
}
