import { memo, useEffect, useRef } from "react";
import { useInk } from "../ui/theme";
import { drawnToFit, smallWave } from "./paint";

/** The small waveform of a row or a card. */
export const MiniWave = memo(function MiniWave({
  outline,
  colour = "glass",
  width = "100%",
  height = "24px",
  anchor,
}: {
  outline: string;
  colour?: string;
  width?: string;
  height?: string;
  /** Where the anchor's flag stands, 0 to 1 of the length. */
  anchor?: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const colours = useInk();
  useEffect(() => {
    if (!canvas.current) return;
    return drawnToFit(canvas.current, (pen, wide, high) => {
      smallWave(pen, outline, wide, high, colours[colour]);
      if (anchor === undefined) return;
      const x = Math.min(wide - 1, anchor * wide);
      pen.fillStyle = colours.amber;
      pen.fillRect(x, 0, 1, high);
      pen.beginPath();
      pen.moveTo(x - 3, 0);
      pen.lineTo(x + 4, 0);
      pen.lineTo(x + 0.5, 4);
      pen.fill();
    });
  }, [outline, colour, anchor, colours]);
  return <canvas ref={canvas} style={{ width, height, display: "block" }} aria-hidden />;
});
