import { memo, useMemo } from "react";
import { useInk } from "../ui/theme";
import { smallShape } from "./paint";

/**
 * The small waveform of a row or a card.
 *
 * It is a shape, not a canvas: every canvas is a layer of its own, and some hundred of them on a page are put together anew with every picture of it.
 */
export const MiniWave = memo(function MiniWave({
  outline,
  colour = "glass",
  width = "100%",
  height = 24,
  anchor,
}: {
  outline: string;
  colour?: string;
  width?: string;
  /** px. */
  height?: number;
  /** Where the anchor's flag stands, 0 to 1 of the length. */
  anchor?: number;
}) {
  const colours = useInk();
  const { shape, count } = useMemo(() => smallShape(outline, height), [outline, height]);
  return (
    <svg width={width} height={height} style={{ display: "block", overflow: "visible" }} data-wave aria-hidden="true">
      <svg aria-hidden="true" width="100%" height={height} viewBox={`0 0 ${Math.max(1, count)} ${height}`} preserveAspectRatio="none">
        <path d={shape} fill={colours[colour]} />
      </svg>
      {anchor !== undefined && (
        <svg aria-hidden="true" x={`${100 * Math.min(1, anchor)}%`} overflow="visible">
          <path d={`M0 0h1v${height}h-1ZM-3 0h7L0.5 4Z`} fill={colours.amber} />
        </svg>
      )}
    </svg>
  );
});
