/** What lies under the keys: sounds of a search, or the layers of a design, each with its own pitch and chain. */
import type { Member, Node, Schemas } from "../../api/client";
import { LETTERS } from "../../listening/keyboard";

export type Slot = Schemas["Slot"];

export function slotOf(member: Member, node: Node, anchor_s: number, gain_db: number): Slot {
  return { name: member.name, node, anchor_s, seconds: 1, gain_db, choke: "", origin: member.origin };
}

/** The layers of a design, each with its own pitch and chain, under one key each. */
export function ofLayers(members: Member[]): Slot[] {
  return members.slice(0, LETTERS.length).map((member) => {
    const alone = {
      ...member,
      at_s: 0,
      gain_db: 0,
      pan: 0,
      back: 0,
      width: 1,
      mute: false,
      group: "",
      envelopes: member.envelopes.filter((one) => one.control !== "pan"),
    };
    const plain =
      !member.chain.length &&
      !member.pitch_st &&
      member.stretch === 1 &&
      !member.reverse &&
      member.start_s == null &&
      member.end_s == null &&
      !member.envelopes.length;
    if (plain) return slotOf(member, member.node, member.anchor_s, member.gain_db);
    const node: Node = { kind: "mix", members: [alone], groups: [], chain: [], rate: null, layout: "stereo", pan_law: "-3 dB" };
    return slotOf({ ...member, origin: null }, node, 0, member.gain_db);
  });
}
