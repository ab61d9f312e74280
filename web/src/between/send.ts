/** Sending a sound to another stage, with what was heard of it. */
import { useNavigate } from "react-router";
import { api, got, type Member, type Schemas, type SoundRow } from "../api/client";
import { useListening } from "../listening/state";
import { EMPTY_MIX, freshId } from "../mix/fresh";
import { queries, useShared } from "../session/store";
import { complain, tell } from "../ui/messages";
import { DRY, type HeardSo, heardSo, saidSo } from "./heard";
import { addToSheet } from "./sheet";

/** A layer of a sound that sounds as it was heard; its anchor lands on the strike line. */
export async function layerOf(library: string, sound: number, layout: string, heard: HeardSo = DRY): Promise<Member> {
  return await got(api.POST("/api/lib/{library}/stack/layer", { params: { path: { library } }, body: { sound, heard, layout } }));
}

/** How many copies of a sound, and how much they differ. */
export interface CopiesOf {
  count: number;
  amount: number;
}

/** So many copies of a sound are drawn unless more are asked for. */
export const COPIES = 8;

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
    /** Sounds that were recorded together, sliced by the plan of the first. */
    sliceTogether: async ([first, ...stems]: number[]) => {
      try {
        await got(api.POST("/api/lib/{library}/plans/{id}/stems", { params: { path: { library, id: first } }, body: { sounds: stems } }));
        for (const key of ["plan", "plans", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
        useShared.setState({ sliceSound: first });
        go("/slice");
      } catch (error) {
        complain(error);
      }
    },
    /** Copies of a sound as it was heard, which differ as takes do, drawn in Vary without a design. */
    copies: async (sound: number, heard: HeardSo = DRY, count = COPIES, amount = 1) => {
      try {
        const { project } = useShared.getState();
        const body = { sound, heard, count, amount, project, seed: 1 };
        const started = await got(api.POST("/api/lib/{library}/quick-spreads", { params: { path: { library } }, body }));
        for (const key of ["spreads", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
        useShared.setState({ spread: started.id ?? null });
        go("/vary");
      } catch (error) {
        complain(error);
      }
    },
    ship: (sounds: number[], heard: HeardSo = DRY) => void addToSheet("sounds", sounds, heard),
    /** To a new layer of the design last open, or of a new one. */
    layer: async (sound: SoundRow) => {
      try {
        const { heard, loop, looping } = useListening.getState();
        const so = heard?.sound === sound.id ? heardSo(looping ? loop : null) : DRY;
        const wanted: HeardSo = { ...so, chain: so.chain?.map((step) => ({ ...step, id: freshId("step") })) ?? [] };
        const designs = await got(api.GET("/api/lib/{library}/designs", { params: { path: { library } } }));
        const { project } = useShared.getState();
        const open = designs.find((design) => design.id === useShared.getState().design && design.project === project);
        const layer = await layerOf(library, sound.id, open?.mix.layout ?? EMPTY_MIX.layout, wanted);
        const design =
          open ??
          (await got(
            api.POST("/api/lib/{library}/designs", {
              params: { path: { library } },
              body: { name: `Design with ${sound.name}`, mix: EMPTY_MIX, project },
            }),
          ));
        await got(
          api.POST("/api/lib/{library}/designs/{id}/edit", {
            params: { path: { library, id: design.id } },
            body: { edit: { do: "add", member: layer } },
          }),
        );
        useShared.setState({ design: design.id });
        void queries.invalidateQueries({ queryKey: ["counts"] });
        void queries.invalidateQueries({ queryKey: ["designs"] });
        tell(`${sound.name} is a layer of ${design.name}${saidSo(wanted) || (wanted.part ? ", as it was heard" : "")}.`);
      } catch (error) {
        complain(error);
      }
    },
  };
}
