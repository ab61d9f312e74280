/** Listening: one player for all stages. Blocks come from the server and go to the worklet; loops are cut to the frame here. */
import { bytes } from "../api/client";
import { fadeEnds, isFaded } from "../canvas/fades";
import { complain, tell } from "../ui/messages";
import { onEars, parted, stereo } from "./channels";
import workletUrl from "./player.worklet.ts?worker&url";
import { type Heard, useListening } from "./state";

const AHEAD_S = 0.9;
const FIRST_S = 0.12;
const BLOCK_S = 0.4;

export const DIM_DB = -20;
export const MATCH_LUFS = -23;

interface Report {
  id: number;
  position: number | null;
  read: number | null;
  held: number;
  stopped: boolean;
  peak: [number, number];
  momentary: number | null;
}

/** A peak under this moves no meter. */
const SILENT = 1e-4;

/** What meters and playheads read on every animation frame. */
export const live = {
  /** The frame that is heard: what was read is heard later, by the latency of the output. */
  position: 0,
  /** The frame that is read: what goes on does so from here. */
  read: 0,
  peak: [0, 0],
  hold: [0, 0],
  holdAt: [0, 0],
  momentary: null as number | null,
  /** When something was last loud enough to move a meter. */
  soundedAt: Number.NEGATIVE_INFINITY,
};

function stand(frame: number) {
  live.position = frame;
  live.read = frame;
}

class Player {
  private context: AudioContext | null = null;
  private worklet: AudioWorkletNode | null = null;
  private starting: Promise<void> | null = null;
  analyser: AnalyserNode | null = null;
  /** Left and right as they go out, for the picture of the image. */
  sides: AnalyserNode[] = [];
  private voice = 0;
  private feedAt = 0;
  private fetching = false;
  private held = 0;
  private ended = false;
  private listeners = new Set<() => void>();

  private async ready(): Promise<void> {
    if (this.worklet) {
      if (this.context?.state === "suspended") await this.context.resume();
      return;
    }
    this.starting ??= (async () => {
      const context = new AudioContext({ latencyHint: "interactive" });
      await context.audioWorklet.addModule(workletUrl);
      const worklet = new AudioWorkletNode(context, "oskren-player", { numberOfInputs: 1, outputChannelCount: [2] });
      const analyser = context.createAnalyser();
      analyser.fftSize = 2048;
      analyser.smoothingTimeConstant = 0.6;
      worklet.connect(analyser).connect(context.destination);
      const split = context.createChannelSplitter(2);
      worklet.connect(split);
      this.sides = [0, 1].map((side) => {
        const one = context.createAnalyser();
        one.fftSize = 2048;
        split.connect(one, side);
        return one;
      });
      worklet.port.onmessage = (event) => this.told(event.data as Report);
      this.context = context;
      this.analyser = analyser;
      this.worklet = worklet;
      await context.resume();
      useListening.setState({ outputRate: context.sampleRate });
      this.sendVolume();
      this.sendSpeed();
      this.sendTempo();
      const { output } = useListening.getState();
      if (output) await this.sendOutput(output);
    })();
    await this.starting;
  }

  /** Where what is played by hand goes in: it leaves by the same output as everything that is heard. */
  async inlet(): Promise<{ context: AudioContext; input: AudioNode }> {
    await this.ready();
    if (!this.context || !this.worklet) throw new Error("no output");
    return { context: this.context, input: this.worklet };
  }

  get rate(): number {
    return this.context?.sampleRate ?? 48000;
  }

  private told(report: Report) {
    const now = performance.now();
    if (Math.max(...report.peak) > SILENT) live.soundedAt = now;
    for (const c of [0, 1]) {
      live.peak[c] = Math.max(report.peak[c], live.peak[c] * 0.82);
      if (report.peak[c] >= live.hold[c] || now - live.holdAt[c] > 1500) {
        live.hold[c] = report.peak[c];
        live.holdAt[c] = now;
      }
    }
    live.momentary = report.momentary;
    if (report.id !== this.voice) return;
    this.held = report.held;
    if (useListening.getState().playing) {
      if (report.position !== null) live.position = report.position;
      if (report.read !== null) live.read = report.read;
      if (report.stopped) this.stop(true);
      else void this.feed();
    }
    for (const listener of this.listeners) listener();
  }

  /** Show something in the strip without playing it. */
  show(heard: Heard) {
    if (useListening.getState().playing) this.stop();
    useListening.setState({ heard, loop: null });
    stand(0);
  }

  /** Play from a moment (s); the strip shows what is heard. */
  async play(heard: Heard, fromS = 0, loop: [number, number] | null = null): Promise<void> {
    await this.ready();
    const before = useListening.getState().heard;
    const lanes = before?.sound === heard.sound && before?.opened.channels === heard.opened.channels ? {} : { muted: [], soloed: [] };
    useListening.setState({ heard, playing: true, loop, ...lanes });
    const rate = heard.opened.rate;
    const start = loop && useListening.getState().looping ? Math.min(Math.max(fromS, loop[0]), loop[1]) : fromS;
    this.begin(heard, Math.max(0, Math.min(heard.opened.frames - 1, Math.round(start * rate))));
  }

  private begin(heard: Heard, frame: number) {
    this.voice += 1;
    this.feedAt = frame;
    this.held = 0;
    this.ended = false;
    this.fetching = false;
    stand(frame);
    this.sendLatency();
    this.worklet?.port.postMessage({ kind: "voice", id: this.voice, rate: heard.opened.rate, gain: this.gainOf(heard) });
    void this.feed();
  }

  /** Go on at the same moment with another sound, crossfaded: an edit, a bypass, a comparison. */
  async swap(heard: Heard, secondsNow?: number): Promise<void> {
    const { playing, heard: before, loop } = useListening.getState();
    const at = secondsNow ?? (before ? live.read / before.opened.rate : 0);
    if (!playing) {
      useListening.setState({ heard });
      stand(Math.min(Math.round(at * heard.opened.rate), heard.opened.frames));
      return;
    }
    useListening.setState({ heard, loop });
    this.begin(heard, Math.max(0, Math.min(heard.opened.frames - 1, Math.round(at * heard.opened.rate))));
  }

  stop(atEnd = false) {
    this.worklet?.port.postMessage({ kind: "stop" });
    useListening.setState({ playing: false });
    live.peak = [0, 0];
    stand(atEnd ? 0 : live.position);
    this.voice += 1;
    for (const listener of this.listeners) listener();
  }

  toggle() {
    const { playing, heard, loop } = useListening.getState();
    if (playing) this.stop();
    else if (heard) {
      const seconds = live.position / heard.opened.rate;
      void this.play(heard, seconds >= heard.opened.frames / heard.opened.rate - 0.01 ? 0 : seconds, loop);
    }
  }

  seek(seconds: number) {
    const { playing, heard } = useListening.getState();
    if (!heard) return;
    const frame = Math.max(0, Math.min(heard.opened.frames, Math.round(seconds * heard.opened.rate)));
    if (playing) this.begin(heard, frame);
    else stand(frame);
    for (const listener of this.listeners) listener();
  }

  setLoop(loop: [number, number] | null) {
    useListening.setState({ loop });
    const { playing, heard } = useListening.getState();
    if (playing && heard) {
      const now = live.read / heard.opened.rate;
      this.begin(heard, Math.round((loop && (now < loop[0] || now > loop[1]) ? loop[0] : now) * heard.opened.rate));
    }
  }

  setSpeed(st: number) {
    useListening.setState({ speedSt: st });
    this.sendSpeed();
  }

  /** Listen faster or slower with the pitch kept; what is heard goes on. */
  setTempo(tempo: number) {
    useListening.setState({ tempo });
    this.sendTempo();
  }

  private sendTempo() {
    this.worklet?.port.postMessage({ kind: "tempo", value: useListening.getState().tempo });
  }

  setGain(db: number) {
    useListening.setState({ gainDb: db });
    this.sendGain();
  }

  setVolume(db: number) {
    useListening.setState({ volumeDb: db });
    this.sendVolume();
  }

  setMatched(matched: boolean) {
    useListening.setState({ matched });
    this.sendGain();
  }

  setDim(dim: boolean) {
    useListening.setState({ dim });
    this.sendVolume();
  }

  setMono(mono: boolean) {
    useListening.setState({ mono });
    this.sendVolume();
  }

  setSafe(safe: boolean) {
    useListening.setState({ safe });
    this.sendVolume();
  }

  /** Hear surround and ambisonic sounds as headphones give them, or folded down; what is heard goes on at the same moment. */
  setHeadphones(headphones: boolean) {
    useListening.setState({ headphones });
    const { playing, heard } = useListening.getState();
    if (playing && heard && heard.opened.channels > 2) this.begin(heard, Math.round(live.read));
  }

  /** Hear only some channels; what is heard goes on at the same moment. */
  setLanes(muted: number[], soloed: number[]) {
    useListening.setState({ muted, soloed });
    const { playing, heard } = useListening.getState();
    if (playing && heard) this.begin(heard, Math.round(live.read));
  }

  /** Where the sound comes out; the empty name is the system's own choice. */
  async setOutput(output: string): Promise<void> {
    useListening.setState({ output });
    if (this.context) await this.sendOutput(output);
  }

  private async sendOutput(output: string) {
    try {
      await (this.context as AudioContext & { setSinkId?: (id: string) => Promise<void> }).setSinkId?.(output);
    } catch {
      useListening.setState({ output: "" });
      tell("That output cannot be used; the system's own is heard.", true);
    }
  }

  onTick(listener: () => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  private gainOf(heard: Heard): number {
    const { gainDb, matched } = useListening.getState();
    const match = matched && heard.lufs !== null ? Math.min(24, MATCH_LUFS - heard.lufs) : 0;
    return 10 ** ((gainDb + match + heard.matchDb) / 20);
  }

  /** Gain (dB) between what is heard and what comes out: to read levels of the sound off what is playing. */
  gainDb(): number {
    const { heard, volumeDb, dim } = useListening.getState();
    return volumeDb + (dim ? DIM_DB : 0) + (heard ? 20 * Math.log10(this.gainOf(heard)) : 0);
  }

  private sendGain() {
    const { heard } = useListening.getState();
    if (heard) this.worklet?.port.postMessage({ kind: "gain", id: this.voice, value: this.gainOf(heard) });
  }

  /** What the worklet reads is heard this much later; the way out may have changed since, to other headphones say. */
  private sendLatency() {
    const context = this.context;
    if (context) this.worklet?.port.postMessage({ kind: "latency", value: context.outputLatency || context.baseLatency || 0 });
  }

  private sendSpeed() {
    this.worklet?.port.postMessage({ kind: "speed", value: 2 ** (useListening.getState().speedSt / 12) });
  }

  private sendVolume() {
    const { volumeDb, dim, mono, safe } = useListening.getState();
    this.worklet?.port.postMessage({ kind: "volume", value: 10 ** ((volumeDb + (dim ? DIM_DB : 0)) / 20), mono, safe });
  }

  private async feed(): Promise<void> {
    const { heard, playing, loop, looping } = useListening.getState();
    if (!heard || !playing || this.fetching || this.ended) return;
    const { rate, frames, channels, digest } = heard.opened;
    const speed = Math.max(1, 2 ** (useListening.getState().speedSt / 12)) * useListening.getState().tempo;
    if (this.held > AHEAD_S * rate * speed) return;
    const voice = this.voice;
    this.fetching = true;
    try {
      const end = loop && looping ? Math.min(frames, Math.round(loop[1] * rate)) : frames;
      if (this.feedAt >= end) {
        if (loop && looping) this.feedAt = Math.round(loop[0] * rate);
        else {
          this.ended = true;
          this.worklet?.port.postMessage({ kind: "end", id: voice });
          return;
        }
      }
      const from = this.feedAt;
      const count = Math.max(1, Math.min(end - from, Math.round((this.held === 0 ? FIRST_S : BLOCK_S) * rate * speed)));
      const ears = onEars(channels);
      const raw = new Float32Array(await bytes(`/api/heard/${digest}/block?start=${from}&frames=${count}${ears ?? ""}`));
      if (voice !== this.voice) return;
      const [left, right] = ears === null ? stereo(raw, channels, heard.opened.fold) : parted(raw);
      const given = left.length;
      const fade = heard.through?.fade;
      if (fade && isFaded(fade)) fadeEnds([left, right], from, loop && looping ? [Math.round(loop[0] * rate), end] : [0, frames], rate, fade);
      this.feedAt = from + given;
      this.held += given;
      this.worklet?.port.postMessage({ kind: "data", id: voice, from, left, right }, [left.buffer, right.buffer]);
      if (!given) this.ended = true;
    } catch (error) {
      if (voice === this.voice) {
        this.stop();
        complain(error);
      }
    } finally {
      if (voice === this.voice) {
        this.fetching = false;
        if (!this.ended && this.held < AHEAD_S * rate) void this.feed();
      }
    }
  }
}

export const player = new Player();
