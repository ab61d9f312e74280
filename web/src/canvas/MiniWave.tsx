import { chakra } from "@chakra-ui/react";
import { memo, useEffect, useRef } from "react";
import { ink } from "../app/theme";
import { fitted, smallWave } from "./paint";

/** The small waveform of a row or a card. */
export const MiniWave = memo(function MiniWave({
  row,
  colour = "glass",
  width = "100%",
  height = "24px",
}: {
  row: string;
  colour?: string;
  width?: string;
  height?: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const draw = () => {
      const pen = fitted(element);
      if (pen) smallWave(pen, row, element.clientWidth, element.clientHeight, ink()[colour]);
    };
    draw();
    const watch = new ResizeObserver(draw);
    watch.observe(element);
    return () => watch.disconnect();
  }, [row, colour]);
  return <chakra.canvas ref={canvas} w={width} h={height} display="block" aria-hidden />;
});
