/** Layers that go on for as long as wanted: made so, made longer and shorter, their order drawn again. */
import { useRef } from "react";
import { api, got, type Member, type Mix, type Schemas } from "../api/client";
import { changed } from "../mix/edits";
import { useShared } from "../session/store";
import { complain } from "../ui/messages";
import { about } from "./told";

export type Bed = Schemas["Bed"];

/** A key makes a bed so much longer or shorter (s). */
const STEP_S = 1;

const anySeed = () => Math.floor(Math.random() * 2 ** 32);

/** How a layer goes on now, by how long it is heard. */
export function bedOf(member: Member, seconds: number | undefined): Bed {
  const loop = member.node.kind === "loop" ? member.node : null;
  const goesOn = loop || isOfSeveral(member);
  return { seconds: goesOn && seconds !== undefined ? seconds : null, anew: loop?.seed !== null };
}

/** Whether a layer is made of several sounds to a length, as a tonal bed is, and no design. */
export function isOfSeveral(member: Member): boolean {
  return member.node.kind === "mix" && member.node.length_s != null && !member.origin;
}

export function useBeds(latest: () => Mix, change: (mix: Mix, gesture?: string) => void) {
  const library = useShared((state) => state.library);
  const turns = useRef(Promise.resolve());
  const wishes = useRef(0);
  const inTurn = (act: () => Promise<void>) => {
    turns.current = turns.current.then(act).catch(complain);
  };
  /** So much longer (s), or shorter; keys pressed fast add up. */
  const longer = (ids: string[], sign: 1 | -1) =>
    inTurn(async () => {
      const done = await about(latest(), (digest) =>
        got(api.POST("/api/lib/{library}/stack/lengthen", { params: { path: { library } }, body: { mix: { digest }, ids, by_s: sign * STEP_S } })),
      );
      const fresh = new Map(done.members.map((one) => [one.id, one]));
      const made = (one: Member) => {
        const { node, fade_in_s, fade_out_s, envelopes } = fresh.get(one.id) ?? one;
        return { node, fade_in_s, fade_out_s, envelopes };
      };
      change(changed(latest(), ids, made), `${ids.join()} length`);
    });
  /** Goes on as asked; of a control that is dragged only the newest wish is asked for. */
  const toBed = (member: Member, bed: Bed, gesture?: string) => {
    wishes.current += 1;
    const mine = wishes.current;
    inTurn(async () => {
      if (mine !== wishes.current) return;
      const { id } = member;
      const fresh = await about(latest(), (digest) =>
        got(api.POST("/api/lib/{library}/stack/bed", { params: { path: { library } }, body: { mix: { digest }, id, bed, seed: anySeed() } })),
      );
      const { node, anchor_s, start_s, end_s, origin, fade_in_s, fade_out_s, envelopes } = fresh as Member;
      change(
        changed(latest(), [id], () => ({ node, anchor_s, start_s, end_s, origin, fade_in_s, fade_out_s, envelopes })),
        gesture ? `${id} bed ${gesture}` : undefined,
      );
    });
  };
  /** Another order of its stretches. */
  const redraw = (member: Member) =>
    change(changed(latest(), [member.id], (one) => (one.node.kind === "loop" ? { node: { ...one.node, seed: anySeed() } } : {})));
  return { longer, toBed, redraw };
}
