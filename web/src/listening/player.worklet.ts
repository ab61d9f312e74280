/** Plays raw blocks at the context's own rate: a ring buffer read by windowed-sinc interpolation, with live speed and gain,
 *  short crossfades when the sound is changed, and meters (peak, K-weighted momentary loudness after ITU-R BS.1770). */

declare const sampleRate: number;
/** The base class as the worklet's own scope has it. */
declare const AudioWorkletProcessor: { new (): { readonly port: MessagePort } };
declare function registerProcessor(name: string, processor: unknown): void;

const SIZE = 1 << 19;
const MASK = SIZE - 1;
const HALF = 16;
const STEPS = 256;
/** So long without a sound, and the worklet rests; by then the meters have fallen and let go of what they held. */
const REST_S = 2.5;
/** Nothing louder than -1 dBFS leaves while the safety limit is on. */
const CEILING = 10 ** (-1 / 20);

interface Piece {
  at: number;
  from: number;
  frames: number;
}

/** One sound being fed: ring, pieces that map ring positions to positions of the sound, and where it is read. */
class Voice {
  left = new Float32Array(SIZE);
  right = new Float32Array(SIZE);
  written = 0;
  read = 0;
  pieces: Piece[] = [];
  ended = false;
  fade = 0;
  fadeStep = 0;
  /** While listening faster with the pitch kept: where the outgoing and the incoming grain are read, and how far they have come. */
  grain: { out: number; in: number; at: number } | null = null;
  constructor(
    readonly id: number,
    readonly rate: number,
    public gain: number,
  ) {}

  add(from: number, left: Float32Array, right: Float32Array) {
    this.pieces.push({ at: this.written, from, frames: left.length });
    for (let i = 0; i < left.length; i++) {
      const k = (this.written + i) & MASK;
      this.left[k] = left[i];
      this.right[k] = right[i];
    }
    this.written += left.length;
  }

  /** Position in the sound (frames) of what was read so many frames ago; null before anything of it has come. */
  position(ago: number): number | null {
    const read = Math.max(0, this.read - ago);
    const piece = this.pieces.findLast((one) => one.at <= read);
    return piece ? piece.from + Math.min(piece.frames, read - piece.at) : null;
  }

  /** Let go of pieces that were read longer ago than that. */
  forget(ago: number) {
    while (this.pieces.length > 1 && this.pieces[1].at <= this.read - ago) this.pieces.shift();
  }
}

const kernels = new Map<number, Float32Array>();

/** Windowed sinc sampled at STEPS points a frame, with its cut-off lowered when reading faster than real time. */
function kernel(cut: number): Float32Array {
  const key = Math.round(cut * 64);
  const known = kernels.get(key);
  if (known) return known;
  const reach = Math.ceil(HALF / cut);
  const table = new Float32Array(reach * STEPS + 2);
  for (let i = 0; i < table.length; i++) {
    const x = i / STEPS;
    const window = x < reach ? 0.42 + 0.5 * Math.cos((Math.PI * x) / reach) + 0.08 * Math.cos((2 * Math.PI * x) / reach) : 0;
    const y = Math.PI * x * cut;
    table[i] = (i === 0 ? cut : (cut * Math.sin(y)) / y) * window;
  }
  kernels.set(key, table);
  return table;
}

/** K-weighting sections for this context's rate, as in oskren/core/measure/loudness.py. */
function weighting(rate: number): number[][] {
  let k = Math.tan((Math.PI * 1681.974450955533) / rate);
  let q = 0.7071752369554196;
  const high = 10 ** (3.999843853973347 / 20);
  const band = high ** 0.4996667741545416;
  let a0 = 1 + k / q + k * k;
  const shelf = [
    (high + (band * k) / q + k * k) / a0,
    (2 * (k * k - high)) / a0,
    (high - (band * k) / q + k * k) / a0,
    (2 * (k * k - 1)) / a0,
    (1 - k / q + k * k) / a0,
  ];
  k = Math.tan((Math.PI * 38.13547087602444) / rate);
  q = 0.5003270373238773;
  a0 = 1 + k / q + k * k;
  return [shelf, [1, -2, 1, (2 * (k * k - 1)) / a0, (1 - k / q + k * k) / a0]];
}

/** Grains of pitch-kept listening: each goes over into the next one within this many seconds, found within the other of where it should begin. */
const GRAIN_S = 0.03;
const SEARCH_S = 0.008;

/**
 * Where, near ``wanted``, a sound is most like what would follow at ``follows``: the place to go over to without a seam (waveform similarity,
 * Verhelst and Roelands 1993). Positions in frames of the ring.
 */
function alike(voice: Voice, follows: number, wanted: number, frames: number, search: number): number {
  const step = 4;
  let best = wanted;
  let highest = Number.NEGATIVE_INFINITY;
  for (let by = -search; by <= search; by += step) {
    let sum = 0;
    let power = 1e-9;
    for (let i = 0; i < frames; i += step) {
      const a = (Math.floor(follows) + i) & MASK;
      const b = (Math.floor(wanted) + by + i) & MASK;
      const x = voice.left[b] + voice.right[b];
      sum += (voice.left[a] + voice.right[a]) * x;
      power += x * x;
    }
    const score = sum / Math.sqrt(power);
    if (score > highest) {
      highest = score;
      best = wanted + by;
    }
  }
  return best;
}

class Player extends AudioWorkletProcessor {
  voices: Voice[] = [];
  speed = 1;
  tempo = 1;
  volume = 1;
  mono = false;
  safe = true;
  held = 1;
  playing = false;
  sections = weighting(sampleRate);
  state = [0, 1].map(() => [new Float64Array(4), new Float64Array(4)]);
  peak = [0, 0];
  power = 0;
  quanta = 0;
  ring: number[] = [];
  /** Seconds until what is read here leaves the loudspeaker. */
  latency = 0;
  /** Blocks without a sound since the last one. */
  quiet = 0;

  constructor() {
    super();
    this.port.onmessage = (event) => this.told(event.data);
  }

  told(message: {
    kind: string;
    id: number;
    rate: number;
    gain: number;
    from: number;
    left: Float32Array;
    right: Float32Array;
    value: number;
    mono: boolean;
    safe: boolean;
  }) {
    const voice = this.voices.find((one) => one.id === message.id);
    if (message.kind === "voice") {
      const step = 1 / (0.012 * sampleRate);
      for (const one of this.voices) one.fadeStep = -step;
      const fresh = new Voice(message.id, message.rate, message.gain);
      fresh.fadeStep = step;
      this.voices.push(fresh);
      this.playing = true;
    } else if (message.kind === "data") voice?.add(message.from, message.left, message.right);
    else if (message.kind === "end" && voice) voice.ended = true;
    else if (message.kind === "gain" && voice) voice.gain = message.value;
    else if (message.kind === "speed") this.speed = message.value;
    else if (message.kind === "latency") this.latency = message.value;
    else if (message.kind === "tempo") {
      this.tempo = message.value;
      for (const one of this.voices) one.grain = null;
    } else if (message.kind === "volume") {
      this.volume = message.value;
      this.mono = message.mono;
      this.safe = message.safe;
    } else if (message.kind === "stop") {
      for (const one of this.voices) one.fadeStep = -1 / (0.008 * sampleRate);
      this.playing = false;
    }
  }

  /** Faster with the pitch kept: grains at the sound's own pitch, begun further apart than they are long. */
  hurry(voice: Voice, outL: Float32Array, outR: Float32Array) {
    const ratio = voice.rate / sampleRate;
    const long = GRAIN_S * voice.rate;
    const search = Math.round(SEARCH_S * voice.rate);
    for (let i = 0; i < outL.length; i++) {
      if (!voice.grain || voice.grain.at >= long) {
        // the one that came in goes on as the one that goes out
        const out = voice.grain ? voice.grain.in + voice.grain.at : voice.read;
        const wanted = voice.read + long * this.tempo - long;
        if (wanted + search + 2 * long + 1 > voice.written) {
          if (!voice.ended) return;
          if (out + long + 1 >= voice.written) {
            voice.read = voice.written;
            return;
          }
        }
        const last = voice.written - long - 2;
        voice.grain = { out, in: Math.min(last, alike(voice, out, Math.max(search, wanted), Math.round(long), search)), at: 0 };
      }
      const { grain } = voice;
      const share = 0.5 - 0.5 * Math.cos((Math.PI * grain.at) / long);
      voice.fade = Math.min(1, Math.max(0, voice.fade + voice.fadeStep));
      const gain = voice.gain * this.volume * Math.sin((Math.PI / 2) * voice.fade);
      for (const [from, weight] of [
        [grain.out + grain.at, 1 - share],
        [grain.in + grain.at, share],
      ]) {
        const base = Math.floor(from);
        const part = from - base;
        outL[i] += gain * weight * (voice.left[base & MASK] * (1 - part) + voice.left[(base + 1) & MASK] * part);
        outR[i] += gain * weight * (voice.right[base & MASK] * (1 - part) + voice.right[(base + 1) & MASK] * part);
      }
      grain.at += ratio;
      voice.read += ratio * this.tempo;
    }
  }

  render(voice: Voice, outL: Float32Array, outR: Float32Array) {
    if (this.tempo !== 1) {
      this.hurry(voice, outL, outR);
      return;
    }
    const ratio = (voice.rate / sampleRate) * this.speed;
    const exact = Math.abs(ratio - 1) < 1e-9 && voice.read === Math.floor(voice.read);
    const cut = Math.min(1, 1 / ratio) * (ratio > 1 ? 0.96 : 1);
    const table = kernel(cut);
    const reach = Math.ceil(HALF / cut);
    const ahead = exact ? 1 : reach + 1;
    for (let i = 0; i < outL.length; i++) {
      if (voice.read + ahead > voice.written && !voice.ended) break;
      if (voice.read >= voice.written) break;
      let l = 0;
      let r = 0;
      if (exact) {
        const k = voice.read & MASK;
        l = voice.left[k];
        r = voice.right[k];
      } else {
        const base = Math.floor(voice.read);
        const part = voice.read - base;
        const first = Math.max(base - reach + 1, 0, voice.written - SIZE);
        const last = Math.min(base + reach, voice.written - 1);
        for (let n = first; n <= last; n++) {
          const x = Math.abs(n - base - part) * STEPS;
          const j = x | 0;
          const h = table[j] + (table[j + 1] - table[j]) * (x - j);
          l += h * voice.left[n & MASK];
          r += h * voice.right[n & MASK];
        }
      }
      voice.fade = Math.min(1, Math.max(0, voice.fade + voice.fadeStep));
      const gain = voice.gain * this.volume * Math.sin((Math.PI / 2) * voice.fade);
      outL[i] += l * gain;
      outR[i] += r * gain;
      voice.read += ratio;
    }
  }

  /** What belongs to listening only: the mono check, and a limit on loud surprises that lets go within a quarter of a second. */
  shape(left: Float32Array, right: Float32Array) {
    const release = 1 - Math.exp(-1 / (0.25 * sampleRate));
    for (let i = 0; i < left.length; i++) {
      if (this.mono) left[i] = right[i] = (left[i] + right[i]) / 2;
      if (!this.safe) continue;
      const most = Math.max(Math.abs(left[i]), Math.abs(right[i]));
      this.held += (1 - this.held) * release;
      if (most * this.held > CEILING) this.held = CEILING / most;
      left[i] *= this.held;
      right[i] *= this.held;
    }
  }

  meter(out: Float32Array[]) {
    let power = 0;
    for (let c = 0; c < 2; c++) {
      const samples = out[c];
      for (let i = 0; i < samples.length; i++) {
        let x = samples[i];
        const size = Math.abs(x);
        if (size > this.peak[c]) this.peak[c] = size;
        for (let s = 0; s < 2; s++) {
          const [b0, b1, b2, a1, a2] = this.sections[s];
          const z = this.state[c][s];
          const y = b0 * x + b1 * z[0] + b2 * z[1] - a1 * z[2] - a2 * z[3];
          z[1] = z[0];
          z[0] = x;
          z[3] = z[2];
          z[2] = y;
          x = y;
        }
        power += x * x;
      }
    }
    this.ring.push(power / out[0].length);
    if (this.ring.length > Math.round((0.4 * sampleRate) / 128)) this.ring.shift();
  }

  /** What is played by hand, at the volume of everything. */
  add(inputs: Float32Array[][], out: Float32Array[]) {
    const played = inputs[0];
    if (!played?.length) return;
    for (let c = 0; c < 2; c++) {
      const from = played[Math.min(c, played.length - 1)];
      for (let i = 0; i < out[c].length; i++) out[c][i] += from[i] * this.volume;
    }
  }

  /** Nothing sounds nor is about to, and the meters stand at rest: nothing is computed or told until that changes. */
  resting(inputs: Float32Array[][]): boolean {
    return !this.playing && !inputs[0]?.length && this.quiet > REST_S * (sampleRate / 128);
  }

  process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    if (this.resting(inputs)) return true;
    const out = outputs[0];
    this.add(inputs, out);
    const newest = this.voices[this.voices.length - 1];
    for (const voice of this.voices) this.render(voice, out[0], out[1]);
    this.voices = this.voices.filter((voice) => voice === newest || voice.fade > 0 || voice.fadeStep > 0);
    this.shape(out[0], out[1]);
    this.meter(out);
    this.quiet = out.every((side) => side.every((one) => one === 0)) ? this.quiet + 1 : 0;
    if (++this.quanta % 8 === 0) {
      const mean = this.ring.reduce((sum, value) => sum + value, 0) / Math.max(1, this.ring.length);
      const stopped = !!newest && newest.ended && newest.read >= newest.written;
      const ago = newest ? this.latency * newest.rate * this.speed * this.tempo : 0;
      newest?.forget(ago);
      this.port.postMessage({
        id: newest?.id ?? 0,
        position: newest?.position(ago) ?? null,
        read: newest?.position(0) ?? null,
        held: newest ? newest.written - newest.read : 0,
        stopped,
        peak: [...this.peak],
        momentary: mean > 1e-10 ? -0.691 + 10 * Math.log10(mean) : null,
      });
      this.peak = [0, 0];
    }
    return true;
  }
}

registerProcessor("oskren-player", Player);

export {};
