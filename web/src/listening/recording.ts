/** The recording that goes on, whatever stage is looked at: its state, and what the keys and buttons do. */
import { create } from "zustand";
import { api, got, type Schemas } from "../api/client";
import { queries, useShared } from "../session/store";
import { complain, tell } from "../ui/messages";
import { type Delivered, Recorder, recoverOwnTake, type TakeDone } from "./recorder";

export type Notes = Schemas["ArrivalNotes"];

export const NO_NOTES: Notes = { place: "", microphone: "", props: "", weather: "", permission: "", notes: "" };

interface RecordingState {
  state: "idle" | "arming" | "armed" | "counting" | "recording" | "ending";
  delivered: Delivered | null;
  inputs: MediaDeviceInfo[];
  device: string;
  bits: 24 | 32;
  name: string;
  number: number;
  note: string;
  countIn: number;
  /** Seconds still to count. */
  left: number;
  pre: boolean;
  monitor: boolean;
  good: boolean;
  marks: number[];
  /** dBFS of each channel now, and the highest since the meter was cleared. */
  levels: number[];
  peaks: number[];
  clips: number;
  /** The quietest stretch of about 0.4 s heard lately: the floor of room and input (dBFS). */
  floor: number | null;
  seconds: number;
  /** Seconds that wait for the connection. */
  held: number;
  takes: TakeDone[];
  /** The arrival the takes of this session join; 0 before the first. */
  arrival: number;
  /** The library that arrival is in. */
  library: string;
  notes: Notes;
  /** The entry of the wanted list that takes answer. */
  wanted: { id: number; what: string; library: string } | null;
}

export const SILENT_DB = -96;

export const useRecording = create<RecordingState>(() => ({
  state: "idle",
  delivered: null,
  inputs: [],
  device: "",
  bits: 24,
  name: "Take",
  number: 1,
  note: "",
  countIn: 0,
  left: 0,
  pre: false,
  monitor: false,
  good: false,
  marks: [],
  levels: [],
  peaks: [],
  clips: 0,
  floor: null,
  seconds: 0,
  held: 0,
  takes: [],
  arrival: 0,
  library: "",
  notes: NO_NOTES,
  wanted: null,
}));

const set = useRecording.setState;
const get = useRecording.getState;
const recorder = new Recorder();
const db = (value: number) => Math.max(SILENT_DB, 20 * Math.log10(Math.max(value, 1e-6)));
let quiet: number[] = [];
let counting: ReturnType<typeof setTimeout> | undefined;

recorder.onLevels = ({ peaks, rms, clips }) => {
  const before = get();
  quiet = [...quiet.slice(-119), rms];
  const floor = quiet.length >= 5 ? Math.min(...quiet.slice(4).map((_, i) => Math.hypot(...quiet.slice(i, i + 5)) / Math.sqrt(5))) : null;
  const levels = peaks.map(db);
  set({
    levels,
    peaks: levels.map((level, lane) => Math.max(level, before.peaks[lane] ?? SILENT_DB)),
    clips: before.clips + clips,
    floor: floor === null ? null : db(floor),
    seconds: recorder.seconds,
    held: recorder.held,
  });
};

recorder.onEnded = (why) => {
  tell(why, true);
  if (get().state === "recording") void end();
};

export function clearMeter() {
  set({ peaks: [], clips: 0 });
}

/** Open the chosen input; what it really delivers is shown. */
export async function arm(device = get().device): Promise<void> {
  try {
    clearMeter();
    quiet = [];
    set({ state: "arming", device });
    const delivered = await recorder.arm(device);
    recorder.hear(get().monitor);
    set({ state: "armed", device, delivered, inputs: await Recorder.inputs() });
  } catch (error) {
    set({ state: "idle", delivered: null });
    complain(error);
  }
}

export async function disarm(): Promise<void> {
  clearTimeout(counting);
  await recorder.disarm();
  set({ state: "idle", delivered: null, levels: [], left: 0 });
}

export function setMonitor(on: boolean) {
  recorder.hear(on);
  set({ monitor: on });
}

/** The arrival of this session, begun with its first take. */
async function session(): Promise<number> {
  const { arrival, notes, name } = get();
  const { library } = useShared.getState();
  if (arrival && get().library === library) return arrival;
  const day = new Date().toISOString().slice(0, 10);
  const begun = await got(
    api.POST("/api/lib/{library}/arrivals", { params: { path: { library } }, body: { name: `Session ${day}: ${name}`, notes } }),
  );
  set({ arrival: begun.id, library });
  return begun.id;
}

async function begin(): Promise<void> {
  const { name, number, bits, note, pre, wanted } = get();
  try {
    const { library } = useShared.getState();
    const facts = {
      name: `${name.trim() || "Take"} ${String(number).padStart(2, "0")}`,
      rate: 0,
      channels: 0,
      bits,
      note,
      device: "",
      number,
      arrival: await session(),
      wanted: wanted?.library === library ? wanted.id : 0,
      good: false,
      pre_s: 0,
      marks: [],
      started: "",
      library: "",
      ended: "",
    };
    set({ good: false, marks: [], clips: 0, peaks: [] });
    await recorder.start(library, facts, pre);
    set({ state: "recording" });
  } catch (error) {
    set({ state: "armed" });
    complain(error);
  }
}

function count(left: number) {
  if (left <= 0) {
    set({ left: 0 });
    void begin();
    return;
  }
  set({ state: "counting", left });
  counting = setTimeout(() => count(left - 1), 1000);
}

async function end(): Promise<void> {
  set({ state: "ending" });
  try {
    const done = await recorder.stop();
    set((state) => ({ takes: [done, ...state.takes], number: state.number + 1, note: "", state: "armed", held: 0, arrival: done.arrival }));
    void queries.invalidateQueries();
    const long = done.seconds < 60 ? `${done.seconds.toFixed(2)} s` : `${Math.floor(done.seconds / 60)} min ${Math.round(done.seconds % 60)} s`;
    tell(done.said ? `${done.name}, ${long}, is in the library. ${done.said}` : `${done.name}, ${long}, is in the library.`, !!done.said);
  } catch (error) {
    set({ state: "armed" });
    complain(error);
  }
}

/** Start the take (after the count), stop the count, or end the take. */
export async function toggleTake(): Promise<void> {
  const { state, countIn } = get();
  if (state === "armed") count(countIn);
  else if (state === "counting") {
    clearTimeout(counting);
    set({ state: "armed", left: 0 });
  } else if (state === "recording") await end();
}

export function toggleGood() {
  if (get().state !== "recording") return;
  const good = !get().good;
  set({ good });
  recorder.describe({ good }).catch(complain);
}

/** Mark the moment that is being recorded. */
export function markMoment() {
  if (get().state !== "recording") return;
  const marks = [...get().marks, Number(recorder.seconds.toFixed(3))];
  set({ marks });
  recorder.describe({ marks }).catch(complain);
}

export function say(note: string) {
  set({ note });
  if (get().state === "recording") recorder.describe({ note }).catch(complain);
}

/** Notes of the session: written with its arrival once there is one. */
export function noteSession(notes: Partial<Notes>) {
  set({ notes: { ...get().notes, ...notes } });
  const { arrival, library } = get();
  if (!arrival) return;
  got(api.PATCH("/api/lib/{library}/arrivals/{id}", { params: { path: { library, id: arrival } }, body: { name: null, notes } })).catch(complain);
}

/** Takes from now on belong to a session of their own. */
export function newSession() {
  set({ arrival: 0, number: 1, takes: [] });
}

/** At the start of the page: what it was recording when it was left is not lost. */
export async function recoverLeft(): Promise<void> {
  try {
    const done = await recoverOwnTake();
    if (!done) return;
    void queries.invalidateQueries();
    tell(`${done.name}, ${done.seconds.toFixed(2)} s, was recovered: it is in the library and says so.`);
  } catch (error) {
    complain(error);
  }
}
