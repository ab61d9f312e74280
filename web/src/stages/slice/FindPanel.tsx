/** How slices are found, and which of them are shown. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Plan } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Controls } from "../../ui/controls";
import { Heading, Line } from "../../ui/frames";
import { MEASURED, type Row, type Within } from "./columns";
import { Histogram } from "./Histogram";
import type { PlanView } from "./usePlan";

interface Props {
  view: PlanView;
  plan: Plan;
  rows: readonly Row[];
  within: Within | null;
  onWithin: (within: Within | null) => void;
  onFind: (settings: Plan["settings"], gesture: string) => void;
  onDropOthers: () => void;
  /** Find and finish as the plan of another sound does. */
  onLike: (sound: number) => void;
}

/** What attacks inside sounds were taken for, and why. */
function taken(inside: NonNullable<PlanView["inside"]>): string {
  if (inside.rise_db === null) return "No attack stands out inside a sound.";
  const why = `attacks inside rise by ${inside.rise_db.toFixed(0)} dB in the middle, and ${(inside.quiet * 100).toFixed(0)} % of the time is silent`;
  if (inside.taken === "apart") return `Taken for sounds that stand apart: ${why}. Each is one slice.`;
  if (inside.taken === "overlapping") return `Taken for sounds that overlap: ${why}. Attacks begin slices.`;
  return `Taken for both: attacks begin slices in ${inside.parted} of ${inside.sounds} sounds, where they are strong and little is silent around.`;
}

const LINES: readonly (keyof Plan["settings"])[] = ["spaced", "every_s", "bpm", "beats", "first_s"];

/** What sets the lines of a grid: a length, or beats of a tempo. */
const gridded = (settings: Plan["settings"]) =>
  LINES.filter((name) => name !== "every_s" || settings.spaced === "length").filter(
    (name) => !["bpm", "beats"].includes(name) || settings.spaced === "tempo",
  );

export function FindPanel({ view, plan, rows, within, onWithin, onFind, onDropOthers, onLike }: Props) {
  const [by, setBy] = useState("Length");
  const column = MEASURED.find((one) => one.name === by) ?? MEASURED[0];
  const values = rows.flatMap((row) => column.value(row) ?? []);
  const pieces = plan.slices;
  const settings = view.plan.settings;
  const detectors = useQuery({ queryKey: ["detectors"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/detectors")) }).data;
  const library = useShared((state) => state.library);
  const plans = useQuery({
    queryKey: ["plans", library],
    queryFn: () => got(api.GET("/api/lib/{library}/plans", { params: { path: { library } } })),
  });
  const others = plans.data?.filter((one) => one.sound !== view.sound) ?? [];
  const looksAt = (detectors?.[settings.by] ?? []) as (keyof Plan["settings"])[];
  return (
    <>
      {settings.by === "level" && !view.floor_visible && (
        <Box color="amber" fontSize="12px">
          This sound is dense: no quiet moment shows its floor, so the threshold starts from its quietest tenth.
        </Box>
      )}
      {pieces.length === 0 && (
        <Box color="amber" role="status">
          {settings.by === "markers"
            ? "This file has no markers; find its sounds over the floor, or by a grid."
            : "Nothing was found. Lower the sensitivity or the shortest length; a silent file has no slices."}
        </Box>
      )}
      <Controls<Plan["settings"]>
        model="SliceSettings"
        names={[
          "by",
          ...looksAt.filter((name) => (name !== "rise_db" || settings.attacks !== "off") && !LINES.includes(name)),
          ...(settings.by === "grid" ? gridded(settings) : []),
          "parted",
          ...(settings.parted === "grid" && settings.by !== "grid" ? gridded(settings) : []),
        ]}
        value={settings}
        onChange={(values) => onFind({ ...settings, ...values }, Object.keys(values).join())}
      />
      {view.inside && settings.attacks === "auto" && (
        <Box color="dim" fontSize="12px" data-testid="inside">
          {taken(view.inside)}
        </Box>
      )}
      {others.length > 0 && (
        <Choose
          label="As another sound is sliced"
          value=""
          options={[["", "As another sound is sliced"], ...others.map((one) => [String(one.sound), one.name] as const)]}
          onChange={(sound) => sound && onLike(Number(sound))}
        />
      )}
      <Line />
      <Flex justify="space-between" align="center">
        <Heading>Show only</Heading>
        <Choose
          label="Show only by"
          value={column.name}
          options={MEASURED.map((one) => [one.name, one.name.toLowerCase()] as const)}
          onChange={(next) => {
            setBy(next);
            onWithin(null);
          }}
        />
      </Flex>
      {values.length > 0 && column.written ? (
        <Histogram
          key={column.name}
          values={values}
          ratio={column.ratio === true}
          shown={column.written}
          band={within?.band ?? null}
          onBand={(band) => onWithin(band && { by: column.name, band })}
          label={`How the ${column.name.toLowerCase()} of the slices is spread; drag to show only a band`}
        />
      ) : (
        <Box color="dim" fontSize="12px">
          Nothing of it is measured yet.
        </Box>
      )}
      {within && (
        <Flex gap="6px" wrap="wrap">
          <Do onClick={onDropOthers}>Drop the others</Do>
          <Do quiet onClick={() => onWithin(null)}>
            Show all
          </Do>
        </Flex>
      )}
    </>
  );
}
