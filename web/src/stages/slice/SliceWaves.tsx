/** The sound that is sliced as two waveforms, with its slices, loops and threshold on the lower one. */
import { type ComponentProps, useMemo } from "react";
import type { Band, Hint } from "../../canvas/wave";
import { LongWave } from "../../timeline/LongWave";
import { useControl } from "../../ui/controls";
import type { PlanView } from "./usePlan";
import type { Rows } from "./useRows";

/** Height of both waveforms at first, and of that of all of it (px). */
export const WAVES = 262;
const OVERVIEW = 48;

type Long = ComponentProps<typeof LongWave>;

interface Props extends Pick<Long, "opened" | "zoom" | "onZoom">, Pick<Long["part"], "marked" | "onMark" | "onPlayFrom" | "onBand" | "onEdge"> {
  view: PlanView;
  rows: Rows;
  onSensitivity: (db: number) => void;
}

export function SliceWaves({ view, rows: { rows, inBand, together }, opened, zoom, onZoom, onSensitivity, ...part }: Props) {
  const sensitivity = useControl("SliceSettings", "sensitivity_db");
  const inside = (db: number) => Math.min(sensitivity?.high ?? db, Math.max(sensitivity?.low ?? db, db));
  const total = view.seconds;
  const { by, sensitivity_db } = view.plan.settings;
  const floors = useMemo(() => view.floors_dbfs ?? [view.floor_dbfs], [view.floors_dbfs, view.floor_dbfs]);
  const bands = useMemo(
    (): Band[] =>
      rows.map((row) => ({
        id: row.id,
        start: row.start_s,
        end: row.end_s,
        label: String(row.no),
        chosen: together.has(row.id),
        dropped: row.dropped || !inBand.has(row.id),
      })),
    [rows, together, inBand],
  );
  const loops = useMemo(
    (): Hint[] => rows.flatMap(({ loop }) => (loop ? [{ start: loop.start_s, end: loop.end_s, colour: "amber" as const, label: "loop" }] : [])),
    [rows],
  );
  return (
    <LongWave
      opened={opened}
      seconds={total}
      zoom={zoom}
      onZoom={onZoom}
      leastS={0.02}
      height={WAVES}
      wholeHeight={OVERVIEW}
      whole={{
        onPlayFrom: (at) => {
          const span = zoom[1] - zoom[0];
          const start = Math.max(0, Math.min(total - span, at - span / 2));
          onZoom([start, start + span]);
        },
        label: `All of ${view.name}; drag to choose what is shown below`,
      }}
      part={{
        ...part,
        bands,
        hints: loops,
        over: by === "grid" || by === "markers" ? undefined : sensitivity_db,
        floors,
        onOver: (db) => onSensitivity(inside(Number(db.toFixed(1)))),
        label: `Slices of ${view.name}; the table below lists them`,
      }}
    />
  );
}
