/** Hands on what the input delivers, unchanged, in blocks of about 85 ms. */

declare const AudioWorkletProcessor: { new (): { readonly port: MessagePort } };
declare function registerProcessor(name: string, processor: unknown): void;

const BLOCK = 4096;

class Recorder extends AudioWorkletProcessor {
  channels = 1;
  held = new Float32Array(BLOCK);
  filled = 0;

  constructor() {
    super();
    this.port.onmessage = () => {
      this.port.postMessage({ last: true, samples: this.held.slice(0, this.filled * this.channels) });
      this.filled = 0;
    };
  }

  process(inputs: Float32Array[][]): boolean {
    const input = inputs[0];
    if (!input.length) return true;
    if (input.length !== this.channels) {
      this.channels = input.length;
      this.held = new Float32Array(BLOCK * this.channels);
      this.filled = 0;
    }
    const frames = input[0].length;
    for (let i = 0; i < frames; i++) for (let c = 0; c < this.channels; c++) this.held[(this.filled + i) * this.channels + c] = input[c][i];
    this.filled += frames;
    if (this.filled + frames > BLOCK) {
      this.port.postMessage({ last: false, channels: this.channels, samples: this.held.slice(0, this.filled * this.channels) });
      this.filled = 0;
    }
    return true;
  }
}

registerProcessor("oskren-recorder", Recorder);

export {};
