/** What is heard and how: the state of listening, part of which this browser remembers. */
import { create } from "zustand";
import type { Node, Opened, Step } from "../api/client";
import { type Fade, NO_FADE } from "../canvas/fades";
import type { UnitChoice } from "../canvas/ruler";

/** A saved chain put on what is auditioned, and what is done to the ends of what comes out of it; ``said`` is all of that in words. */
export interface Through {
  name: string;
  chain: Step[];
  fade: Fade;
  said: string;
}

/** Whether sounds are auditioned backwards, and how their ends are faded: those of the marked part, where one is marked. */
export interface Edges {
  reverse: boolean;
  fade: Fade;
}

export interface Heard {
  opened: Opened;
  title: string;
  /** The sound of the library that is heard, when it is one. */
  sound?: number;
  /** The chain it is heard through, when one was put on it. */
  through?: Through | null;
  lufs: number | null;
  /** Listening gain (dB) that makes it as loud as what it is compared with. */
  matchDb: number;
}

interface Listening {
  heard: Heard | null;
  playing: boolean;
  /** What is being made ready to be heard. */
  waiting: { title: string; node?: Node; chain?: Step[] } | null;
  /** Seconds from the first frame. */
  loop: [number, number] | null;
  looping: boolean;
  speedSt: number;
  /** How many times as fast, with the pitch kept. */
  tempo: number;
  gainDb: number;
  volumeDb: number;
  matched: boolean;
  /** The saved chain that was chosen for auditioned sounds, what is done to their ends, and both: what they are heard through. */
  saved: { name: string; chain: Step[] } | null;
  edges: Edges;
  through: Through | null;
  /** Whether sounds leave and are placed as they are, not as they are heard. */
  sendDry: boolean;
  /** Channels that are muted, and those that are soloed, of what is heard. */
  muted: number[];
  soloed: number[];
  dim: boolean;
  mono: boolean;
  safe: boolean;
  /** Whether sounds of more than two channels are heard as headphones give them. */
  headphones: boolean;
  /** Working level (dBFS) the meters show a line at. */
  reference: number;
  /** What rulers and positions show. */
  ruler: UnitChoice;
  output: string;
  /** Rate of the output (Hz); 0 before anything was heard. */
  outputRate: number;
}

const KEPT = ["volumeDb", "matched", "safe", "output", "reference", "ruler", "headphones"] as const;

export const TEMPOS = [1, 1.25, 1.5, 2] as const;

function remembered(): Partial<Listening> {
  try {
    return JSON.parse(localStorage.getItem("listening") ?? "{}") as Partial<Listening>;
  } catch {
    return {};
  }
}

export const useListening = create<Listening>(() => ({
  heard: null,
  playing: false,
  waiting: null,
  loop: null,
  looping: true,
  speedSt: 0,
  tempo: 1,
  gainDb: 0,
  volumeDb: -3,
  matched: false,
  saved: null,
  edges: { reverse: false, fade: NO_FADE },
  through: null,
  sendDry: false,
  muted: [],
  soloed: [],
  dim: false,
  mono: false,
  safe: true,
  headphones: false,
  reference: -20,
  ruler: "fitting",
  output: "",
  outputRate: 0,
  ...remembered(),
}));

useListening.subscribe((now, before) => {
  if (KEPT.some((name) => now[name] !== before[name]))
    localStorage.setItem("listening", JSON.stringify(Object.fromEntries(KEPT.map((name) => [name, now[name]]))));
});
