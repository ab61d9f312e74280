/** Recording from an input: what the browser delivers, with nothing done to it, sent to the server as it comes. */
import { api, got, Refused, type Schemas } from "../api/client";
import workletUrl from "./recorder.worklet.ts?worker&url";

export type TakeDone = Schemas["Finished"];
export type NewTake = Schemas["TakeFacts"];

/** What the browser says of the input it opened. */
export interface Delivered {
  rate: number;
  channels: number;
  /** Bits of a sample as the input delivers it; 0 when the browser does not tell. */
  bits: number;
  device: string;
  /** What the browser does to the sound although it was asked not to. */
  processed: string[];
}

export interface Levels {
  /** Highest sample of each channel in the last block. */
  peaks: number[];
  /** Root mean square of the last block over all channels. */
  rms: number;
  /** Runs of full-scale samples that began in the last block. */
  clips: number;
}

interface Block {
  last: boolean;
  channels: number;
  samples: Float32Array<ArrayBuffer>;
}

const FULL_SCALE = 0.9999;
const PRE_S = 5;
/** Blocks after an input was opened that are not kept: browser and device settle while they start, and may leave some frames out. */
const SETTLING = 12;
/** An input that delivers nothing is not waited for longer. */
const SETTLED_MS = 3000;
/** So long the input is waited for when a take ends (ms). */
const LAST_MS = 2000;
/** Blocks that are sent in one go when the connection was away. */
const TOGETHER = 16;
const OWN_TAKE = "take being recorded";

/** Measure a block: peaks, RMS and clips. */
export function levelsOf(samples: Float32Array, channels: number): Levels {
  const peaks = new Array<number>(channels).fill(0);
  const over = new Array<boolean>(channels).fill(false);
  let sum = 0;
  let clips = 0;
  for (let i = 0; i < samples.length; i++) {
    const lane = i % channels;
    const value = Math.abs(samples[i]);
    if (value > peaks[lane]) peaks[lane] = value;
    const clipped = value >= FULL_SCALE;
    if (clipped && !over[lane]) clips++;
    over[lane] = clipped;
    sum += value * value;
  }
  return { peaks, rms: Math.sqrt(sum / Math.max(1, samples.length)), clips };
}

export class Recorder {
  private context: AudioContext | null = null;
  private stream: MediaStream | null = null;
  private worklet: AudioWorkletNode | null = null;
  private monitor: GainNode | null = null;
  private take = "";
  private facts: NewTake | null = null;
  private library = "";
  /** Frames sent or waiting to be sent; and those that an ended take before this one holds. */
  private position = 0;
  private base = 0;
  private waiting: Float32Array<ArrayBuffer>[] = [];
  private waitingFrames = 0;
  private pumping: Promise<void> | null = null;
  private recording = false;
  private onLast: (() => void) | null = null;
  private before: Float32Array<ArrayBuffer>[] = [];
  private settling = 0;
  private onSettled: (() => void) | null = null;
  delivered: Delivered | null = null;
  onLevels: (levels: Levels) => void = () => {};
  /** The server refused to go on with the take: why. What it has is kept. */
  onEnded: (why: string) => void = () => {};

  /** Seconds of the take so far. */
  get seconds(): number {
    return this.delivered ? this.position / this.delivered.rate : 0;
  }

  /** Seconds that are only here yet: the connection is away. */
  get held(): number {
    return this.delivered ? this.waitingFrames / this.delivered.rate : 0;
  }

  /** Inputs to choose from; names are known once one was allowed. */
  static async inputs(): Promise<MediaDeviceInfo[]> {
    return (await navigator.mediaDevices.enumerateDevices()).filter((device) => device.kind === "audioinput");
  }

  /** Open an input and show its level; it can be recorded from once it has settled, about a second later. */
  async arm(device: string): Promise<Delivered> {
    await this.disarm();
    try {
      this.stream = await navigator.mediaDevices.getUserMedia({
        audio: {
          deviceId: device ? { exact: device } : undefined,
          echoCancellation: false,
          autoGainControl: false,
          noiseSuppression: false,
          channelCount: { ideal: 2 },
        },
      });
    } catch {
      throw new Refused("The browser gave no input: allow the microphone for this page, or connect one, then arm again.");
    }
    const track = this.stream.getAudioTracks()[0];
    const settings = track.getSettings();
    this.context = new AudioContext(settings.sampleRate ? { sampleRate: settings.sampleRate } : {});
    await this.context.audioWorklet.addModule(workletUrl);
    const source = this.context.createMediaStreamSource(this.stream);
    const channels = Math.max(1, settings.channelCount ?? source.channelCount ?? 1);
    this.worklet = new AudioWorkletNode(this.context, "oskren-recorder", {
      numberOfOutputs: 0,
      channelCount: channels,
      channelCountMode: "explicit",
    });
    this.worklet.port.onmessage = (event) => this.arrived(event.data);
    this.monitor = this.context.createGain();
    this.monitor.gain.value = 0;
    source.connect(this.worklet);
    source.connect(this.monitor).connect(this.context.destination);
    this.settling = SETTLING;
    await this.context.resume();
    const processed = (["echoCancellation", "autoGainControl", "noiseSuppression"] as const).filter((name) => settings[name] === true);
    this.delivered = { rate: this.context.sampleRate, channels, bits: settings.sampleSize ?? 0, device: track.label, processed };
    await new Promise<void>((resolve) => {
      this.onSettled = resolve;
      setTimeout(resolve, SETTLED_MS);
    });
    return this.delivered;
  }

  /** Hear the input; headphones, or it howls. */
  hear(on: boolean) {
    if (this.monitor) this.monitor.gain.value = on ? 1 : 0;
  }

  private arrived(block: Block) {
    const { samples } = block;
    if (samples.length) {
      this.onLevels(levelsOf(samples, this.delivered?.channels ?? 1));
      if (this.recording) this.put(samples);
      else this.remember(samples);
    }
    if (block.last) this.onLast?.();
  }

  /** Keep the last seconds before a start. */
  private remember(samples: Float32Array<ArrayBuffer>) {
    if (this.settling > 0) {
      this.settling--;
      if (!this.settling) this.onSettled?.();
      return;
    }
    const { rate, channels } = this.delivered ?? { rate: 1, channels: 1 };
    this.before.push(samples);
    let frames = this.before.reduce((sum, one) => sum + one.length, 0) / channels;
    while (frames - this.before[0].length / channels >= PRE_S * rate) {
      frames -= this.before[0].length / channels;
      this.before.shift();
    }
  }

  private put(samples: Float32Array<ArrayBuffer>) {
    const frames = samples.length / (this.delivered?.channels ?? 1);
    this.waiting.push(samples);
    this.waitingFrames += frames;
    this.position += frames;
    this.pumping ??= this.pump().finally(() => {
      this.pumping = null;
    });
  }

  /** Send what waits, in order; a lost connection is waited for as long as it takes. */
  private async pump() {
    while (this.waiting.length) {
      const channels = this.delivered?.channels ?? 1;
      const some = this.waiting.slice(0, TOGETHER);
      const joined = new Float32Array(some.reduce((sum, one) => sum + one.length, 0));
      let at = 0;
      for (const one of some) {
        joined.set(one, at);
        at += one.length;
      }
      const first = this.position - this.waitingFrames - this.base;
      const answer = await this.post(`/api/takes/${this.take}/blocks?position=${first}`, joined);
      if (answer === "sent") {
        this.waiting = this.waiting.slice(some.length);
        this.waitingFrames -= joined.length / channels;
      } else if (answer.includes("has ended;")) {
        await this.goOn();
      } else {
        this.recording = false;
        this.waiting = [];
        this.waitingFrames = 0;
        this.onEnded(answer);
        return;
      }
    }
  }

  private async post(address: string, body: Float32Array<ArrayBuffer>): Promise<string> {
    for (let pause = 250; ; pause = Math.min(2000, pause * 2)) {
      try {
        const response = await fetch(address, { method: "POST", body });
        if (response.ok) return "sent";
        if (response.status < 500) return ((await response.json()) as { sentence: string }).sentence;
      } catch {
        // the server is away; what was recorded waits here
      }
      await new Promise((resolve) => setTimeout(resolve, pause));
    }
  }

  /** The server took the page for gone and kept the take as far as it came: the rest goes into another one. While that is refused, what was recorded waits here. */
  private async goOn() {
    if (!this.facts) return;
    const facts = { ...this.facts, name: `${this.facts.name.replace(/ continued$/, "")} continued`, pre_s: 0, marks: [], started: "" };
    for (;;) {
      try {
        const base = this.position - this.waitingFrames;
        const begun = await got(api.POST("/api/lib/{library}/takes", { params: { path: { library: this.library } }, body: facts }));
        this.facts = facts;
        this.base = base;
        this.own(begun.take);
        return;
      } catch {
        // another home may be served at this address for a while
        await new Promise((resolve) => setTimeout(resolve, 2000));
      }
    }
  }

  private own(take: string) {
    this.take = take;
    if (take) sessionStorage.setItem(OWN_TAKE, take);
    else sessionStorage.removeItem(OWN_TAKE);
  }

  /** Begin a take; with ``pre`` the seconds before the start belong to it. */
  async start(library: string, facts: NewTake, pre: boolean): Promise<void> {
    if (!this.context || !this.delivered) throw new Refused("Arm the input first.");
    const { rate, channels } = this.delivered;
    if (!pre) this.before = [];
    const frames = this.before.reduce((sum, one) => sum + one.length, 0) / channels;
    this.library = library;
    this.facts = { ...facts, rate, channels, device: this.delivered.device.slice(0, 200), pre_s: Math.min(60, frames / rate) };
    const begun = await got(api.POST("/api/lib/{library}/takes", { params: { path: { library } }, body: this.facts }));
    this.own(begun.take);
    this.position = 0;
    this.base = 0;
    this.waiting = [];
    this.waitingFrames = 0;
    // what came in while the server answered belongs to the take too
    const since = this.before;
    this.before = [];
    this.recording = true;
    for (const samples of since) this.put(samples);
  }

  /** Say something about the take: its slate note, that it is good, moments in it. */
  async describe(change: Partial<Schemas["TakeChange"]>): Promise<void> {
    if (!this.take || !this.facts) return;
    for (const [name, value] of Object.entries(change)) if (value !== null) Object.assign(this.facts, { [name]: value });
    const body = { note: null, good: null, marks: null, ...change };
    await got(api.PATCH("/api/takes/{take}", { params: { path: { take: this.take } }, body }));
  }

  /** End the take; what was stored becomes a sound of the library. */
  async stop(): Promise<TakeDone> {
    if (this.recording) {
      await new Promise<void>((resolve) => {
        this.onLast = resolve;
        this.worklet?.port.postMessage("last");
        // an input that was pulled out, or stands still, has nothing more to give
        setTimeout(resolve, LAST_MS);
      });
      this.onLast = null;
    }
    this.recording = false;
    await this.pumping;
    const { take } = this;
    const done = await got(api.POST("/api/takes/{take}/finish", { params: { path: { take }, query: {} } }));
    this.own("");
    return done;
  }

  async disarm(): Promise<void> {
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    await this.context?.close();
    this.stream = null;
    this.context = null;
    this.worklet = null;
    this.monitor = null;
    this.before = [];
  }
}

/** A take this page was recording when it was reloaded becomes a sound now. */
export async function recoverOwnTake(): Promise<TakeDone | null> {
  const take = sessionStorage.getItem(OWN_TAKE);
  if (!take) return null;
  sessionStorage.removeItem(OWN_TAKE);
  const open = await got(api.GET("/api/takes"));
  if (!open.some((one) => one.take === take)) return null;
  const recovered = "Recovered: the page was reloaded or closed while it was recorded.";
  return got(api.POST("/api/takes/{take}/finish", { params: { path: { take }, query: { recovered } } }));
}
