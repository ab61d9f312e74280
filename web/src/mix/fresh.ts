/** New things of a mix, at the values the core's models have when nothing is set. */
import type { Group, Mix, Step } from "../api/client";

export const EMPTY_MIX: Mix = { kind: "mix", members: [], groups: [], chain: [], rate: null, layout: "stereo", pan_law: "-3 dB", length_s: null };

let made = 0;

/** An id that no other thing has: several may be made in one moment, and in several tabs. */
export function freshId(prefix: string): string {
  made += 1;
  return `${prefix}-${Date.now().toString(36)}${made.toString(36)}${Math.floor(Math.random() * 1296).toString(36)}`;
}

/** A new step of a kind, at its defaults but for what is given. */
export function freshStep(kind: string, params: Record<string, unknown> = {}, id = freshId(kind)): Step {
  return {
    kind,
    params,
    on: true,
    id,
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

export function freshGroup(id: string, name: string): Group {
  return { id, name, gain_db: 0, pan: 0, back: 0, width: 1, mute: false, chain: [], colour: "", frozen: null };
}
