/** A threshold over a floor that is followed: where both lie, and how they are drawn. */
import type { Ink } from "../ui/theme";

/** The floor (dBFS; one value, or some from the begin of the sound to its end), and what of the sound is in view (s, px). */
export interface Followed {
  view: [number, number];
  width: number;
  total: number;
  floors?: number[];
}

/** The floor at a place (px), in dBFS. */
export function floorAt({ view, width, total, floors = [] }: Followed, px: number): number {
  const at = view[0] + (px / Math.max(1, width)) * (view[1] - view[0]);
  const place = Math.max(0, Math.min(floors.length - 1, (at / total) * floors.length - 0.5));
  const low = Math.floor(place);
  const high = Math.min(floors.length - 1, low + 1);
  return (floors[low] ?? 0) + (place - low) * ((floors[high] ?? 0) - (floors[low] ?? 0));
}

interface Drawing {
  /** Height (px) of a level above (1) or below (-1) the middle. */
  y: (dbfs: number, sign: number) => number;
  /** A label that can be read whatever it lies on. */
  patch: (text: string, x: number, y: number, colour: string) => void;
}

/** Draw the floor, the threshold so many dB over it on both sides, and what both are. */
export function drawThreshold(pen: CanvasRenderingContext2D, scene: Followed & { colours: Ink }, over: number, { y, patch }: Drawing) {
  const { colours, width, floors = [] } = scene;
  const step = floors.length > 1 ? 4 : width;
  const line = (raised: number, sign: number) => {
    pen.beginPath();
    for (let px = 0; px <= width; px += step) pen.lineTo(px, y(floorAt(scene, px) + raised, sign));
    pen.stroke();
  };
  pen.setLineDash([5, 4]);
  pen.strokeStyle = colours.amber;
  for (const sign of [1, -1]) line(over, sign);
  pen.setLineDash([]);
  pen.strokeStyle = colours.coral;
  line(0, 1);
  const right = floorAt(scene, width - 50);
  const top = y(right + over, 1);
  pen.fillStyle = colours.amber;
  pen.beginPath();
  pen.roundRect(width - 92, top - 21, 84, 18, 5);
  pen.fill();
  pen.fillStyle = colours.onAmber;
  pen.fillText(floors.length > 1 ? `+${over.toFixed(1)} dB` : `${(right + over).toFixed(1)} dBFS`, width - 86, top - 8);
  const left = floorAt(scene, 6);
  patch(`floor ${left.toFixed(0)} dBFS`, 6, y(left, 1) - 4, colours.coral);
}
