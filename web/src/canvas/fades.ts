/** Fades as the core has them (oskren/core/steps/edges.py). */

/** The gain of a rising fade, as in the core. */
export function fadeGain(x: number, shape: string): number {
  if (shape === "equal power") return Math.sin((Math.PI / 2) * x);
  if (shape === "sine") return (1 - Math.cos(Math.PI * x)) / 2;
  if (shape === "logarithmic") return 1 - (10 ** (-3 * x) - 1e-3) / (1 - 1e-3);
  if (shape === "exponential") return (10 ** (3 * (x - 1)) - 1e-3) / (1 - 1e-3);
  return x;
}
