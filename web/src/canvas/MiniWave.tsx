import { memo, useEffect, useRef } from "react";
import { useInk } from "../ui/theme";
import { fitted, smallWave } from "./paint";

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
    const element = canvas.current;
    if (!element) return;
    const draw = () => {
      const pen = fitted(element);
      if (!pen) return;
      smallWave(pen, outline, element.clientWidth, element.clientHeight, colours[colour]);
      if (anchor === undefined) return;
      const x = Math.min(element.clientWidth - 1, anchor * element.clientWidth);
      pen.fillStyle = colours.amber;
      pen.fillRect(x, 0, 1, element.clientHeight);
      pen.beginPath();
      pen.moveTo(x - 3, 0);
      pen.lineTo(x + 4, 0);
      pen.lineTo(x + 0.5, 4);
      pen.fill();
    };
    draw();
    const watch = new ResizeObserver(draw);
    watch.observe(element);
    return () => watch.disconnect();
  }, [outline, colour, anchor, colours]);
  return <canvas ref={canvas} style={{ width, height, display: "block" }} aria-hidden />;
});
