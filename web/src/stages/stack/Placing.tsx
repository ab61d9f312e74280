/** Where a layer or a group is heard: gain and pan; in a sum of more than two channels front, back and width too, and a plane to drag it in. */
import { Box, SimpleGrid } from "@chakra-ui/react";
import type { PointerEvent } from "react";
import type { Group, Member, Mix, Schemas } from "../../api/client";
import { Num } from "../../ui/parts";
import { useRanges } from "../../ui/ranges";

export type Speaker = Schemas["Speaker"];

/** The channels a sum may have, as they are called. */
export const SUMS: readonly (readonly [Mix["layout"], string])[] = [
  ["mono", "mono"],
  ["stereo", "stereo"],
  ["quad", "quad"],
  ["5.1", "5.1"],
  ["7.1", "7.1"],
  ["ambix", "AmbiX, first order"],
];

export const wide = (layout: Mix["layout"]) => layout !== "mono" && layout !== "stereo";

interface Props {
  of: Member | Group;
  layout: Mix["layout"];
  speakers: Speaker[];
  /** A sound of one channel is a point: it has no width. */
  point?: boolean;
  onEdit: (values: { gain_db?: number; pan?: number; back?: number; width?: number }, gesture?: string) => void;
}

export function Placing({ of, layout, speakers, point, onEdit }: Props) {
  const range = useRanges();
  return (
    <>
      <SimpleGrid columns={2} columnGap="16px" rowGap="4px">
        <Num
          {...range("Member", "gain_db")}
          label="Gain"
          value={of.gain_db}
          unit="dB"
          low={-48}
          high={24}
          normal={0}
          step={0.1}
          onChange={(gain_db, gesture) => onEdit({ gain_db }, gesture)}
        />
        <Num
          label="Pan"
          value={of.pan}
          low={-1}
          high={1}
          step={0.01}
          digits={2}
          normal={0}
          format={(value) => (value === 0 ? "centre" : `${Math.round(Math.abs(value) * 100)} ${value < 0 ? "L" : "R"}`)}
          onChange={(pan, gesture) => onEdit({ pan }, gesture)}
        />
        {wide(layout) && (
          <>
            <Num
              label="Front to back"
              value={of.back}
              low={0}
              high={1}
              step={0.01}
              digits={2}
              normal={0}
              format={(value) => (value === 0 ? "front" : value === 1 ? "back" : `${Math.round(value * 100)} %`)}
              onChange={(back, gesture) => onEdit({ back }, gesture)}
            />
            {!point && (
              <Num
                label="Width"
                value={of.width}
                low={0}
                high={1}
                step={0.01}
                digits={2}
                normal={1}
                format={(value) => (value === 0 ? "a point" : `${Math.round(value * 100)} %`)}
                onChange={(width, gesture) => onEdit({ width }, gesture)}
              />
            )}
          </>
        )}
      </SimpleGrid>
      {wide(layout) && <Plane of={of} speakers={speakers} point={point} onEdit={onEdit} />}
    </>
  );
}

/** The plane of the sum seen from above, front on top; the same two numbers as pan and front to back, by hand. */
function Plane({ of, speakers, point, onEdit }: Omit<Props, "layout">) {
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const share = (at: number, from: number, size: number) => Math.min(1, Math.max(0, (at - from - 0.1 * size) / (0.8 * size)));
    const pan = 2 * share(event.clientX, box.left, box.width) - 1;
    const back = share(event.clientY, box.top, box.height);
    onEdit({ pan: Number(pan.toFixed(2)), back: Number(back.toFixed(2)) }, "plane");
  };
  const place = (x: number, y: number) => [60 + 48 * x, 60 - 48 * y];
  const half = point ? 0 : 48 * of.width;
  const [x, y] = place(of.pan, 1 - 2 * of.back);
  return (
    <Box asChild w="120px" h="120px" mx="auto" my="4px" cursor="crosshair" flexShrink={0} touchAction="none" userSelect="none">
      <svg
        viewBox="0 0 120 120"
        data-testid="plane"
        role="img"
        aria-label="Place in the plane, front on top"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          move(event);
        }}
        onPointerMove={(event) => {
          if (event.buttons & 1) move(event);
        }}
      >
        <title>Seen from above, the front on top: drag to where it is to be heard</title>
        <rect x="12" y="12" width="96" height="96" rx="6" fill="var(--chakra-colors-ground)" stroke="var(--chakra-colors-line)" />
        <path d="M60 12V108M12 60H108" stroke="var(--chakra-colors-line)" strokeDasharray="2 4" />
        {speakers.map((one) => {
          const [sx, sy] = place(one.x, one.y);
          return (
            <g key={one.name}>
              <rect x={sx - 11} y={sy - 7} width="22" height="14" rx="4" fill="var(--chakra-colors-raised)" stroke="var(--chakra-colors-line)" />
              <text x={sx} y={sy + 3.5} textAnchor="middle" fontSize="9" fill="var(--chakra-colors-dim)">
                {one.name}
              </text>
            </g>
          );
        })}
        <line
          x1={Math.max(12, x - half)}
          x2={Math.min(108, x + half)}
          y1={y}
          y2={y}
          stroke="var(--chakra-colors-glass)"
          strokeWidth="2"
          opacity="0.6"
        />
        <circle cx={x} cy={y} r="5.5" fill="var(--chakra-colors-amber)" stroke="var(--chakra-colors-ground)" />
      </svg>
    </Box>
  );
}
