/** Where a layer or a group is heard: gain and pan; in a sum of more than two channels front, back and width too, and a plane to drag it in. */
import { Box, SimpleGrid } from "@chakra-ui/react";
import type { PointerEvent } from "react";
import type { Group, Member, Mix, Schemas } from "../api/client";
import { Controls } from "../ui/controls";

export type Speaker = Schemas["Speaker"];

const WIDE = ["back"] as const;

export const wide = (layout: Mix["layout"]) => layout !== "mono" && layout !== "stereo";

type Place = Pick<Member, "gain_db" | "pan" | "back" | "width">;

interface Props {
  of: Member | Group;
  layout: Mix["layout"];
  speakers: Speaker[];
  /** A sound of one channel is a point: it has no width. */
  point?: boolean;
  onEdit: (values: Partial<Place>, gesture?: string) => void;
}

export function Placing({ of, layout, speakers, point, onEdit }: Props) {
  return (
    <>
      <SimpleGrid columns={2} columnGap="16px" rowGap="4px">
        <Controls<Place>
          model="Member"
          names={["gain_db", "pan", ...(wide(layout) ? (point ? WIDE : [...WIDE, "width" as const]) : [])]}
          value={of}
          onChange={onEdit}
        />
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
