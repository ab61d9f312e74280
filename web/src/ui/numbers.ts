/** Numbers as people type them, with their units. What is not understood, or cannot be, is said and changes nothing. */

/** What typed units mean in the unit of a value; % stands for a share of a value without unit or as a factor. */
const UNITS: Record<string, Record<string, number>> = {
  s: { ms: 0.001, s: 1, sec: 1, min: 60, h: 3600 },
  ms: { ms: 1, s: 1000, sec: 1000, min: 60_000 },
  Hz: { hz: 1, khz: 1000, k: 1000 },
  kHz: { khz: 1, k: 1, hz: 0.001 },
  st: { st: 1, semitones: 1, semitone: 1, oct: 12, octave: 12, octaves: 12, ct: 0.01, cent: 0.01, cents: 0.01, c: 0.01 },
  ct: { ct: 1, cent: 1, cents: 1, c: 1, st: 100 },
  dB: { db: 1 },
  "dB over floor": { db: 1 },
  dBFS: { dbfs: 1, db: 1 },
  dBTP: { dbtp: 1, dbfs: 1, db: 1 },
  LUFS: { lufs: 1, lu: 1, db: 1 },
  m: { m: 1, cm: 0.01, km: 1000 },
  "%": { "%": 1 },
  "×": { "×": 1, x: 1, "%": 0.01 },
  "": { "%": 0.01, x: 1 },
  bit: { bit: 1, bits: 1 },
  deg: { deg: 1, "°": 1 },
  "°": { "°": 1, deg: 1 },
};

export type Read = { value: number } | { sentence: string };

function written(value: number): string {
  return String(Number(value.toFixed(4)));
}

function said(value: number, unit: string): string {
  return `${written(value)} ${unit}`.trim();
}

/** A typed number in a unit: "-18st", "-1oct", "50ct", "1.5 dB", "250ms", "60%", "1:02.5"; or why it is none. */
export function readNumber(text: string, unit: string, lowest: number, highest: number): Read {
  const plain = text.trim().replace(",", ".").replace("−", "-");
  let value: number;
  const clock = /^(-?)(?:(\d+):)?(\d+):(\d+(?:\.\d*)?)$/.exec(plain);
  if (clock && (unit === "s" || unit === "ms")) {
    const [, sign, hours, minutes, seconds] = clock;
    if (Number(seconds) >= 60) return { sentence: `"${text.trim()}" is no time; write minutes and seconds like 1:02.5.` };
    value = (sign ? -1 : 1) * (Number(hours ?? 0) * 3600 + Number(minutes) * 60 + Number(seconds)) * (unit === "ms" ? 1000 : 1);
  } else {
    const match = /^([+-]?(?:\d+\.?\d*|\.\d+))\s*([^\d\s.+-]*)$/u.exec(plain);
    const units = UNITS[unit] ?? { [unit.toLowerCase()]: 1 };
    const factor = match?.[2] ? units[match[2].toLowerCase()] : 1;
    if (!match || factor === undefined) {
      const known = Object.keys(units).filter((one) => one !== "");
      return {
        sentence: `"${text.trim()}" is not understood; write a number${known.length ? `, with ${known.slice(0, 4).join(", ")} after it if you like` : ""}.`,
      };
    }
    value = Number(match[1]) * factor;
  }
  if (value < lowest || value > highest)
    return {
      sentence: `${said(value, unit)} cannot be; it goes from ${said(lowest, unit)} to ${said(highest, unit)}.`,
    };
  return { value: Number(value.toFixed(9)) };
}
