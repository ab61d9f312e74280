/** Envelopes as the core has them: values along points, and points as text. */
import type { Envelope } from "../api/client";

/** Value of an envelope at a moment, as in the core. */
export function envelopeAt(envelope: Envelope, seconds: number): number {
  const { points, curve } = envelope;
  if (!points.length) return 0;
  if (seconds <= points[0][0]) return points[0][1];
  const after = points.findIndex(([at]) => at > seconds);
  if (after < 0) return points[points.length - 1][1];
  const [a, b] = [points[after - 1], points[after]];
  if (curve === "steps") return a[1];
  const way = (seconds - a[0]) / (b[0] - a[0]);
  return a[1] + (b[1] - a[1]) * (curve === "eased" ? (1 - Math.cos(Math.PI * way)) / 2 : way);
}

/** Points in order of time, no two at one moment. */
export function inOrder(points: number[][]): number[][] {
  const sorted = [...points].sort((a, b) => a[0] - b[0]);
  return sorted.filter((point, i) => i === sorted.length - 1 || sorted[i + 1][0] - point[0] > 1e-5);
}

/** Points written as "seconds value" pairs with commas between; null when they cannot be read. */
export function parsePoints(text: string): number[][] | null {
  const points = text
    .split(/[,;\n]/)
    .filter((part) => part.trim())
    .map((part) => (part.match(/[-+]?\d*\.?\d+/g) ?? []).map(Number));
  return points.every((point) => point.length === 2 && point.every(Number.isFinite)) ? inOrder(points) : null;
}

export function writePoints(points: readonly number[][]): string {
  return points.map(([at, value]) => `${Number(at.toFixed(3))} ${Number(value.toFixed(2))}`).join(", ");
}
