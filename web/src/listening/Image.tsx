/** The stereo image of what is heard: where it lies between left and right, how wide, and how far both sides agree. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { useRef } from "react";
import { ink } from "../ui/theme";
import { player } from "./player";
import { useListening } from "./state";
import { useDrawing } from "./useDrawing";

const SIZE = 2048;

/** How far left and right agree: 1 the same, 0 nothing in common, -1 opposite (which vanishes in mono). Null for silence. */
export function correlation(left: Float32Array, right: Float32Array): number | null {
  let [ll, rr, lr] = [0, 0, 0];
  for (let i = 0; i < left.length; i++) {
    ll += left[i] * left[i];
    rr += right[i] * right[i];
    lr += left[i] * right[i];
  }
  return ll < 1e-9 || rr < 1e-9 ? null : lr / Math.sqrt(ll * rr);
}

export function Image() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const text = useRef<HTMLDivElement>(null);
  const sides = useRef([new Float32Array(SIZE), new Float32Array(SIZE)]).current;
  const slow = useRef<number | null>(null);
  useDrawing(canvas, (pen, width, height) => {
    const colours = ink();
    const field = height - 26;
    const middle = width / 2;
    pen.strokeStyle = colours.line;
    pen.lineWidth = 1;
    // a fan: up is what both sides share, the slopes are left and right alone, lying flat is what only sets them apart
    for (const angle of [-90, -45, 0, 45, 90]) {
      const turned = (angle * Math.PI) / 180;
      pen.beginPath();
      pen.moveTo(middle, field);
      pen.lineTo(middle + Math.sin(turned) * (field - 12), field - Math.cos(turned) * (field - 12));
      pen.stroke();
    }
    pen.fillStyle = colours.dim;
    pen.font = "10px 'JetBrains Mono Variable', monospace";
    pen.fillText("left", middle - field * 0.72 - 30, field * 0.32);
    pen.fillText("right", middle + field * 0.72 + 4, field * 0.32);
    const y = height - 12;
    pen.fillStyle = colours.ground;
    pen.fillRect(8, y, width - 16, 7);
    pen.fillStyle = colours.line;
    pen.fillRect(middle, y - 3, 1, 13);
    const playing = player.sides.length === 2 && useListening.getState().playing;
    if (playing) for (const side of [0, 1]) player.sides[side].getFloatTimeDomainData(sides[side] as Float32Array<ArrayBuffer>);
    const now = playing ? correlation(sides[0], sides[1]) : null;
    slow.current = now === null ? null : slow.current === null ? now : slow.current * 0.8 + now * 0.2;
    if (playing) {
      let most = 1e-4;
      for (let i = 0; i < SIZE; i++) most = Math.max(most, Math.hypot(sides[0][i], sides[1][i]));
      pen.fillStyle = colours.glass;
      pen.globalAlpha = 0.55;
      for (let i = 0; i < SIZE; i += 2) {
        const [left, right] = [sides[0][i], sides[1][i]];
        const size = (Math.hypot(left, right) / most) ** 0.6 * (field - 14);
        const turned = Math.atan2(right, left) - Math.PI / 4;
        // both halves of the wave are folded upwards
        const angle = turned > Math.PI / 2 ? turned - Math.PI : turned < -Math.PI / 2 ? turned + Math.PI : turned;
        pen.fillRect(middle + Math.sin(angle) * size, field - Math.cos(angle) * size, 1.4, 1.4);
      }
      pen.globalAlpha = 1;
    }
    if (slow.current !== null) {
      const at = 8 + ((slow.current + 1) / 2) * (width - 16);
      pen.fillStyle = slow.current < 0 ? colours.coral : colours.glass;
      pen.fillRect(Math.min(at, middle), y, Math.abs(at - middle), 7);
    }
    if (text.current)
      text.current.textContent =
        slow.current === null
          ? "left and right: nothing heard"
          : `left and right agree by ${slow.current.toFixed(2)}${slow.current < -0.2 ? ": much of it vanishes in mono" : ""}`;
  });
  return (
    <Box>
      <chakra.canvas ref={canvas} w="100%" h="132px" bg="sheet" borderRadius="8px" role="img" aria-label="Stereo image of what is heard" />
      <Flex fontFamily="mono" fontSize="11px" color="dim" ref={text} />
    </Box>
  );
}
