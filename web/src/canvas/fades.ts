/** Fades as the core has them (oskren/core/steps/edges.py), and how they are drawn over a waveform. */

/** What is faded at the ends of a sound (s), and by which curves. */
export interface Fade {
  in_s: number;
  out_s: number;
  in_shape: string;
  out_shape: string;
}

export const NO_FADE: Fade = { in_s: 0, out_s: 0, in_shape: "equal power", out_shape: "equal power" };

export const isFaded = (fade: Fade) => fade.in_s > 0 || fade.out_s > 0;

/** The gain of a rising fade, as in the core. */
export function fadeGain(x: number, shape: string): number {
  if (shape === "equal power") return Math.sin((Math.PI / 2) * x);
  if (shape === "sine") return (1 - Math.cos(Math.PI * x)) / 2;
  if (shape === "logarithmic") return 1 - (10 ** (-3 * x) - 1e-3) / (1 - 1e-3);
  if (shape === "exponential") return (10 ** (3 * (x - 1)) - 1e-3) / (1 - 1e-3);
  return x;
}

/** The gain of a frame among so many that are faded at their ends, as in the core. */
function endsGain(frame: number, frames: number, rate: number, fade: Fade): number {
  const length = (seconds: number) => Math.max(1, Math.min(frames, Math.round(seconds * rate)));
  let gain = 1;
  if (fade.in_s > 0 && frame < length(fade.in_s)) gain *= fadeGain((frame + 0.5) / length(fade.in_s), fade.in_shape);
  if (fade.out_s > 0 && frame >= frames - length(fade.out_s)) gain *= fadeGain((frames - frame - 0.5) / length(fade.out_s), fade.out_shape);
  return gain;
}

/** Fade frames from ``from`` on, of a part (frames), in place. */
export function fadeEnds(sides: Float32Array[], from: number, [first, last]: [number, number], rate: number, fade: Fade) {
  const [rise, fall] = [first + fade.in_s * rate + 1, last - fade.out_s * rate - 1];
  const count = sides[0].length;
  for (let k = 0; k < count; k++) {
    const at = from + k;
    if (at > rise && at < fall) continue;
    const gain = endsGain(at - first, last - first, rate, fade);
    for (const side of sides) side[k] *= gain;
  }
}

/** Half the width of the handle a fade is dragged by (px). */
export const HANDLE = 4;

/** Draw both fades over a waveform: what they take is darkened, and a handle stands where each ends. All in px. */
export function drawFade(
  pen: CanvasRenderingContext2D,
  { from, to, rise, fall, top, height }: { from: number; to: number; rise: number; fall: number; top: number; height: number },
  fade: Fade,
  { dark, line }: { dark: string; line: string },
) {
  const side = (edge: number, end: number, shape: string) => {
    if (Math.abs(end - edge) > 0.5) {
      pen.beginPath();
      for (let i = 0; i <= 32; i++) pen.lineTo(edge + ((end - edge) * i) / 32, top + height * (1 - fadeGain(i / 32, shape)));
      pen.strokeStyle = line;
      pen.lineWidth = 1.5;
      pen.stroke();
      pen.lineTo(edge, top);
      pen.globalAlpha = 0.55;
      pen.fillStyle = dark;
      pen.fill();
      pen.globalAlpha = 1;
      pen.lineWidth = 1;
    }
    pen.fillStyle = line;
    pen.fillRect(end - HANDLE, top, 2 * HANDLE, 2 * HANDLE);
  };
  side(from, rise, fade.in_shape);
  side(to, fall, fade.out_shape);
}
