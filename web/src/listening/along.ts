/** Listening along with the simulated recorder: its sound comes in short stretches that are played one right after the other. */
import { api, got } from "../api/client";

const AHEAD_S = 0.25;
const EVERY_MS = 120;

export class Along {
  private context: AudioContext | null = null;
  private since = 0;
  private next = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  async start(rate: number): Promise<void> {
    this.context = new AudioContext({ sampleRate: rate });
    this.since = Number.MAX_SAFE_INTEGER;
    this.next = 0;
    void this.fetch(rate);
  }

  private async fetch(rate: number): Promise<void> {
    const context = this.context;
    if (!context) return;
    try {
      const heard = await got(api.GET("/api/recorder/heard", { params: { query: { since: this.since } } }));
      const raw = Uint8Array.from(atob(heard.samples), (letter) => letter.charCodeAt(0));
      const samples = new Float32Array(raw.buffer);
      const frames = samples.length / 2;
      this.since = heard.position + frames;
      if (frames && this.context === context) {
        const buffer = context.createBuffer(2, frames, rate);
        for (let lane = 0; lane < 2; lane++) {
          const out = buffer.getChannelData(lane);
          for (let i = 0; i < frames; i++) out[i] = samples[i * 2 + lane];
        }
        const source = context.createBufferSource();
        source.buffer = buffer;
        source.connect(context.destination);
        if (this.next < context.currentTime) this.next = context.currentTime + AHEAD_S;
        source.start(this.next);
        this.next += buffer.duration;
      }
    } catch {
      // it was switched off; the panel shows that
    }
    if (this.context === context) this.timer = setTimeout(() => void this.fetch(rate), EVERY_MS);
  }

  stop(): void {
    clearTimeout(this.timer);
    void this.context?.close();
    this.context = null;
  }
}
