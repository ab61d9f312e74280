/** Recording from an input: what the browser delivers, with nothing done to it, sent to the server as it comes. */
import { api, got, Refused } from "../api/client";
import workletUrl from "./recorder.worklet.ts?worker&url";

export interface TakeDone {
  name: string;
  seconds: number;
}

export class Recorder {
  private context: AudioContext | null = null;
  private stream: MediaStream | null = null;
  private worklet: AudioWorkletNode | null = null;
  private take = "";
  private position = 0;
  private queue: Promise<unknown> = Promise.resolve();
  private failed: unknown = null;
  private recording = false;
  private onLast: (() => void) | null = null;
  channels = 1;
  peak = 0;
  clipped = false;
  level: (peak: number, clipped: boolean, seconds: number) => void = () => {};

  constructor(private library: string) {}

  get rate(): number {
    return this.context?.sampleRate ?? 0;
  }

  /** Inputs to choose from; names are known once one was allowed. */
  static async inputs(): Promise<MediaDeviceInfo[]> {
    return (await navigator.mediaDevices.enumerateDevices()).filter((device) => device.kind === "audioinput");
  }

  /** Open an input and show its level. */
  async arm(device: string): Promise<void> {
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
    const track = this.stream.getAudioTracks()[0].getSettings();
    this.context = new AudioContext(track.sampleRate ? { sampleRate: track.sampleRate } : {});
    await this.context.audioWorklet.addModule(workletUrl);
    const source = this.context.createMediaStreamSource(this.stream);
    this.channels = Math.min(2, track.channelCount ?? source.channelCount ?? 1);
    this.worklet = new AudioWorkletNode(this.context, "oskren-recorder", {
      numberOfOutputs: 0,
      channelCount: this.channels,
      channelCountMode: "explicit",
    });
    this.worklet.port.onmessage = (event) => this.arrived(event.data as { last: boolean; samples: Float32Array<ArrayBuffer> });
    source.connect(this.worklet);
    await this.context.resume();
  }

  private arrived(block: { last: boolean; samples: Float32Array<ArrayBuffer> }) {
    let peak = 0;
    for (const value of block.samples) peak = Math.max(peak, Math.abs(value));
    this.peak = peak;
    if (peak >= 0.9999) this.clipped = true;
    if (this.recording && block.samples.length) this.send(block.samples);
    this.level(peak, this.clipped, this.position / (this.rate || 1));
    if (block.last) this.onLast?.();
  }

  private send(samples: Float32Array<ArrayBuffer>) {
    const at = this.position;
    const { library, take } = this;
    this.position += samples.length / this.channels;
    this.queue = this.queue.then(async () => {
      const address = `/api/lib/${library}/takes/${take}/blocks?position=${at}`;
      for (let attempt = 0; ; attempt++) {
        try {
          const response = await fetch(address, { method: "POST", body: samples });
          if (!response.ok) throw new Refused(((await response.json()) as { sentence: string }).sentence);
          return;
        } catch (error) {
          if (attempt >= 4 || error instanceof Refused) {
            this.failed ??= error;
            return;
          }
          await new Promise((resolve) => setTimeout(resolve, 300 * (attempt + 1)));
        }
      }
    });
  }

  async start(name: string, bits: 24 | 32): Promise<void> {
    if (!this.context) throw new Refused("Arm the input first.");
    const begun = await got(
      api.POST("/api/lib/{library}/takes", {
        params: { path: { library: this.library } },
        body: { name, rate: this.rate, channels: this.channels, bits },
      }),
    );
    this.take = begun.take;
    this.position = 0;
    this.clipped = false;
    this.failed = null;
    this.recording = true;
  }

  /** End the take; what was stored becomes a sound of the library. */
  async stop(): Promise<TakeDone> {
    await new Promise<void>((resolve) => {
      this.onLast = resolve;
      this.worklet?.port.postMessage("last");
    });
    this.recording = false;
    this.onLast = null;
    await this.queue;
    const done = await got(api.POST("/api/lib/{library}/takes/{take}/finish", { params: { path: { library: this.library, take: this.take } } }));
    if (this.failed) throw new Refused("The server could not store the end of the take; what arrived before is kept as a sound.");
    return done;
  }

  async disarm(): Promise<void> {
    for (const track of this.stream?.getTracks() ?? []) track.stop();
    await this.context?.close();
    this.stream = null;
    this.context = null;
    this.worklet = null;
  }
}
