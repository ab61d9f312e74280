/** Numbers as they are shown, with their units. */

export function seconds(value: number): string {
  if (value < 60) return `${value.toFixed(value < 10 ? 2 : 1)} s`;
  return clock(value, 1);
}

export function clock(value: number, digits = 3): string {
  const sign = value < 0 ? "-" : "";
  const size = Math.abs(value);
  const minutes = Math.floor(size / 60);
  return `${sign}${minutes}:${(size - minutes * 60).toFixed(digits).padStart(digits ? digits + 3 : 2, "0")}`;
}

export function level(value: number | null | undefined, unit = ""): string {
  return value === null || value === undefined ? "none" : `${value.toFixed(1)}${unit ? ` ${unit}` : ""}`;
}

export function hertz(value: number | null | undefined): string {
  if (value === null || value === undefined) return "none";
  return value >= 1000 ? `${(value / 1000).toFixed(value >= 10_000 ? 1 : 2)} kHz` : `${value.toFixed(0)} Hz`;
}

export function rate(value: number): string {
  return `${value / 1000} kHz`;
}

export function channels(count: number): string {
  return count === 1 ? "mono" : count === 2 ? "stereo" : `${count} ch`;
}

const NOTES = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

export function note(hz: number): string {
  const midi = Math.round(69 + 12 * Math.log2(hz / 440));
  return `${NOTES[((midi % 12) + 12) % 12]}${Math.floor(midi / 12) - 1}`;
}

export function left(secondsLeft: number | null): string {
  if (secondsLeft === null) return "";
  return secondsLeft < 1 ? "almost done" : secondsLeft < 90 ? `${Math.ceil(secondsLeft)} s left` : `${Math.ceil(secondsLeft / 60)} min left`;
}

/** That a sound goes over full scale, and what can be done; empty when it does not. */
export function overSaid(sound: { peak?: number | null }): string {
  const over = sound.peak ?? -1;
  return over > 0 ? ` It goes ${over.toFixed(1)} dB over full scale: kept in float; put a limiter on the sum, or let Ship lower it.` : "";
}
