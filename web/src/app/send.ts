/** Sending a sound to another stage, with what was heard of it. */
import { useNavigate } from "react-router";
import { api, got, type Member, type Mix, type Schemas, type SoundRow, type Step } from "../api/client";
import { useListening } from "../listening/player";
import { addToSheet, complain, queries, tell, useShared } from "./store";

export const EMPTY_MIX: Mix = { kind: "mix", members: [], groups: [], chain: [], rate: null, layout: "stereo" };

export function freshId(prefix: string): string {
  return `${prefix}-${Date.now().toString(36)}${Math.floor(Math.random() * 1296).toString(36)}`;
}

/** A new step of a kind, at its defaults but for what is given. */
export function freshStep(kind: string, params: Record<string, unknown> = {}): Step {
  return {
    kind,
    params,
    on: true,
    id: freshId(kind),
    start_s: null,
    end_s: null,
    channels: [],
    low_hz: null,
    high_hz: null,
    fade_s: 0.005,
    tail: "cut",
    envelopes: [],
    learned_on: null,
  };
}

export const PLAIN_MEMBER: Omit<Member, "node"> = {
  id: "",
  name: "",
  role: "",
  at_s: 0,
  anchor_s: 0,
  gain_db: 0,
  pan: 0,
  back: 0,
  width: 1,
  mute: false,
  pitch_st: 0,
  keep_length: false,
  stretch: 1,
  reverse: false,
  start_s: null,
  end_s: null,
  fade_in_s: 0,
  fade_out_s: 0,
  fade_in_shape: "equal power",
  fade_out_shape: "equal power",
  chain: [],
  envelopes: [],
  group: "",
  colour: "",
  locked: false,
  search: "",
  origin: null,
  frozen: null,
};

/** A layer of a sound as it is now: its anchor lands on the strike line. ``heard`` takes part, speed and gain along. */
export async function layerOf(
  library: string,
  sound: number,
  heard?: { part: [number, number] | null; speedSt: number; gainDb: number; chain: Step[] },
): Promise<Member> {
  const facts = await got(api.GET("/api/lib/{library}/sounds/{number}", { params: { path: { library, number: sound } } }));
  const part = heard?.part ?? null;
  const chain = heard?.chain ?? [];
  // a part was marked on what came out of the chain: where a step changes the length, it is cut after the chain too
  const kinds = chain.length && part ? await got(api.GET("/api/steps")) : [];
  const inside = chain.some((step) => step.on && !kinds.find((kind) => kind.key === step.kind)?.keeps_time) && !!part;
  const anchor = part ? Math.min(Math.max(facts.anchor_s, part[0]), part[1]) : facts.anchor_s;
  return {
    ...PLAIN_MEMBER,
    id: freshId("layer"),
    name: facts.name,
    node: inside ? { kind: "chained", node: facts.now, chain, from_zero: false } : facts.now,
    origin: { kind: "sound", id: sound, pinned: facts.now_key },
    anchor_s: anchor,
    pitch_st: heard?.speedSt ?? 0,
    gain_db: heard?.gainDb ?? 0,
    start_s: part?.[0] ?? null,
    end_s: part?.[1] ?? null,
    chain: inside ? [] : chain,
  };
}

export function useSend() {
  const go = useNavigate();
  const library = useShared((state) => state.library);
  return {
    mend: (sound: number) => {
      useShared.setState({ mendSound: sound, reel: null });
      go("/mend");
    },
    /** Takes onto a new review reel. */
    review: async (among: { ids: number[]; all_of: Schemas["NewReel"]["all_of"] }, name: string) => {
      try {
        const { project } = useShared.getState();
        const reel = await got(api.POST("/api/lib/{library}/reels", { params: { path: { library } }, body: { ...among, name, project } }));
        queries.setQueryData(["reel", library, reel.id], reel);
        void queries.invalidateQueries({ queryKey: ["reels"] });
        useShared.setState({ reel: reel.id });
        go("/mend");
      } catch (error) {
        complain(error);
      }
    },
    slice: (sound: number) => {
      useShared.setState({ sliceSound: sound });
      go("/slice");
    },
    ship: (sounds: number[]) => addToSheet(sounds),
    /** To a new layer of the design last open, or of a new one. */
    layer: async (sound: SoundRow) => {
      try {
        const { heard, loop, looping, speedSt, gainDb } = useListening.getState();
        const same = heard?.sound === sound.id;
        const through = heard?.through?.chain ?? [];
        const chain = through.map((step) => ({ ...step, id: freshId("step") }));
        const member = await layerOf(library, sound.id, same ? { part: looping ? loop : null, speedSt, gainDb, chain } : undefined);
        const designs = await got(api.GET("/api/lib/{library}/designs", { params: { path: { library } } }));
        const { project } = useShared.getState();
        const open = designs.find((design) => design.id === useShared.getState().design && design.project === project);
        const design =
          open ??
          (await got(
            api.POST("/api/lib/{library}/designs", {
              params: { path: { library } },
              body: { name: `Design with ${sound.name}`, mix: EMPTY_MIX, project },
            }),
          ));
        const mix: Mix = { ...design.mix, members: [...design.mix.members, member] };
        await got(
          api.PUT("/api/lib/{library}/designs/{number}", {
            params: { path: { library, number: design.id } },
            body: { name: design.name, mix, project },
          }),
        );
        useShared.setState({ design: design.id });
        void queries.invalidateQueries({ queryKey: ["counts"] });
        void queries.invalidateQueries({ queryKey: ["designs"] });
        tell(
          `${sound.name} is a layer of ${design.name}${same && (speedSt || gainDb || chain.length || (looping && loop)) ? ", as it was heard" : ""}.`,
        );
      } catch (error) {
        complain(error);
      }
    },
  };
}
