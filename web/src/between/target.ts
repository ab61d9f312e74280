import type { Target } from "../api/client";

/** The target a sheet begins with: as the sound is, 24 bit WAV, filed by category. */
export const FIRST_TARGET: Target = {
  name: "master",
  format: "wav",
  rate: null,
  bits: 24,
  channels: "keep",
  peak_dbfs: null,
  fade_in_ms: 0,
  fade_out_ms: 0,
  dither: true,
  over: "refuse",
  template: "{category}/{name}",
};

/** A file straight out of the table: as the sound is, under its own name. */
export const PLAIN_TARGET: Target = { ...FIRST_TARGET, name: "export", template: "{name}" };
