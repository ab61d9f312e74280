/** Sounds under keys and pads: loaded whole, so that they are heard the moment a key goes down. For listening; what is kept is rendered by the core. */
import { bytes, type Node } from "../api/client";
import { openWhole } from "./opening";
import { player } from "./player";

const PIECE = 1 << 18;
/** Sounds are loaded up to this long. */
const MOST_S = 30;
const CHOKED_S = 0.008;

interface Voice {
  source: AudioBufferSourceNode;
  gain: GainNode;
  choke: string;
}

/** A sound as it is played: linear interpolation of the browser where it is pitched, good enough to play by. */
export class Pads {
  private context: AudioContext | null = null;
  private out: GainNode | null = null;
  private buffers: (AudioBuffer | null)[] = [];
  private voices: Voice[] = [];

  /** Make ready: everything played goes through the one output, with its volume, mono check and safety limit. */
  async ready(): Promise<AudioContext> {
    const { context, input } = await player.inlet();
    if (this.context !== context) {
      this.context = context;
      this.out = context.createGain();
      this.out.connect(input);
    }
    return context;
  }

  get now(): number {
    return this.context?.currentTime ?? 0;
  }

  /** The level everything played goes through (dB). */
  level(db: number) {
    this.out?.gain.setTargetAtTime(10 ** (db / 20), this.now, 0.01);
  }

  /** Load what is under the keys; ``told`` says how many are ready. */
  async load(library: string, nodes: Node[], told: (ready: number) => void): Promise<{ seconds: number; zero: number }[]> {
    const context = await this.ready();
    this.buffers = nodes.map(() => null);
    const lengths: { seconds: number; zero: number }[] = [];
    for (const [i, node] of nodes.entries()) {
      const opened = await openWhole(library, { node });
      const frames = Math.min(opened.frames, MOST_S * opened.rate);
      const buffer = context.createBuffer(2, Math.max(1, frames), opened.rate);
      for (let from = 0; from < frames; from += PIECE) {
        const raw = new Float32Array(await bytes(`/api/heard/${opened.digest}/block?start=${from}&frames=${Math.min(PIECE, frames - from)}`));
        const count = raw.length / opened.channels;
        for (const side of [0, 1]) {
          const lane = buffer.getChannelData(side);
          for (let c = 0; c < opened.channels; c++) {
            const share = opened.fold[c][side];
            if (share) for (let n = 0; n < count; n++) lane[from + n] += raw[n * opened.channels + c] * share;
          }
        }
      }
      this.buffers[i] = buffer;
      lengths.push({ seconds: opened.frames / opened.rate, zero: opened.zero / opened.rate });
      told(i + 1);
    }
    return lengths;
  }

  /** Play a sound at once: gain in dB, pitch in semitones; others with the same choke word end. */
  hit(slot: number, gainDb: number, semitones: number, choke: string): boolean {
    const { context, out } = this;
    const buffer = this.buffers[slot];
    if (!context || !out || !buffer) return false;
    if (choke) for (const voice of this.voices.filter((one) => one.choke === choke)) this.end(voice);
    const source = context.createBufferSource();
    const gain = context.createGain();
    source.buffer = buffer;
    source.playbackRate.value = 2 ** (semitones / 12);
    gain.gain.value = 10 ** (gainDb / 20);
    source.connect(gain).connect(out);
    const voice = { source, gain, choke };
    source.onended = () => {
      this.voices = this.voices.filter((one) => one !== voice);
    };
    this.voices = [...this.voices, voice];
    source.start();
    return true;
  }

  private end(voice: Voice) {
    voice.gain.gain.setTargetAtTime(0, this.now, CHOKED_S / 3);
    voice.source.stop(this.now + CHOKED_S * 2);
  }

  silence() {
    for (const voice of this.voices) this.end(voice);
  }

  async close() {
    this.silence();
    this.out?.disconnect();
    this.out = null;
    this.context = null;
    this.buffers = [];
    this.voices = [];
  }
}

interface MidiMessage {
  data: Uint8Array | null;
}

interface MidiInput {
  name?: string | null;
  onmidimessage: ((event: MidiMessage) => void) | null;
}

/** Listen to every MIDI input the browser gives; the names of those there are, or why there is none. */
export async function listenToMidi(
  onNote: (note: number, velocity: number) => void,
  onControl: (value: number) => void,
): Promise<{ names: string[]; why: string; stop: () => void }> {
  const ask = (navigator as Navigator & { requestMIDIAccess?: () => Promise<{ inputs: Map<string, MidiInput> }> }).requestMIDIAccess;
  if (!ask) return { names: [], why: "This browser has no Web MIDI; the computer's keys play.", stop: () => {} };
  try {
    const access = await ask.call(navigator);
    const inputs = [...access.inputs.values()];
    for (const input of inputs)
      input.onmidimessage = ({ data }) => {
        if (!data) return;
        const [status, one, two] = data;
        if ((status & 0xf0) === 0x90 && two > 0) onNote(one, two / 127);
        if ((status & 0xf0) === 0xb0 && (one === 1 || one === 7 || one === 11)) onControl(two / 127);
      };
    const stop = () => {
      for (const input of inputs) input.onmidimessage = null;
    };
    return {
      names: inputs.map((input) => input.name || "MIDI input"),
      why: inputs.length ? "" : "No MIDI pad is connected; the computer's keys play.",
      stop,
    };
  } catch {
    return { names: [], why: "The browser gave no MIDI; allow it for this page, or play the computer's keys.", stop: () => {} };
  }
}
