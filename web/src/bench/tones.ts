/** Colours of layers: their own, or that of their role. */
import type { Ink } from "../ui/theme";

const TONES: Record<string, [keyof Ink, keyof Ink]> = {
  glass: ["glass", "glassDeep"],
  plum: ["plum", "plumDeep"],
  sky: ["sky", "skyDeep"],
  chalk: ["chalk", "faint"],
};

/** A colour of the layer's own, or that of its role: what hits in the first, what carries tone in the second, air in the third. */
export function tones(role: string, colour = ""): [keyof Ink, keyof Ink] {
  return TONES[colour] ?? (role === "tone" || role === "tail" ? TONES.plum : role === "air" ? TONES.sky : TONES.glass);
}
