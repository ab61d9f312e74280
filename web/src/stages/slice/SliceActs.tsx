/** What can be done to the slices that are chosen, over the table. */
import { Box, Flex } from "@chakra-ui/react";
import { Acts, type MenuAct } from "../../ui/Acts";
import { Do } from "../../ui/buttons";
import { Tick } from "../../ui/choices";
import { Fold } from "../../ui/Fold";
import { shown } from "../../ui/keys";
import { COLUMNS, showColumn, useShownColumns } from "./columns";
import type { Rows } from "./useRows";

/** What can be done to the chosen slices, each by its key too. */
export type SliceActing = Record<
  "split" | "merge" | "drop" | "lock" | "loopIt" | "seam" | "bothEdges" | "perform" | "toLayer" | "finished",
  () => unknown
>;

interface Props {
  rows: Rows;
  acts: SliceActing;
  raw: boolean;
  onBest: () => void;
  onSnap: () => void;
  /** Makes the marked part a slice, where one is marked. */
  onAdd: (() => void) | null;
}

const when = (there: unknown, act: MenuAct): MenuAct[] => (there ? [act] : []);

export function SliceActs({ rows, acts, raw, onBest, onSnap, onAdd }: Props) {
  const { current, several, spare, group, setGroup } = rows;
  const groups = rows.groups.size;
  const picked = useShownColumns((state) => state.chosen);
  const dropping = several.some((row) => !row.dropped);
  const many = several.length > 1 ? ` ${several.length}` : "";
  return (
    <Flex gap="8px" px="12px" py="6px" wrap="wrap" borderTop="1px solid" borderBottom="1px solid" borderColor="line" flexShrink={0} align="center">
      <Do act="split" disabled={!current} onClick={acts.split}>
        Split
      </Do>
      <Do act="merge" disabled={!current} onClick={acts.merge}>
        Merge
      </Do>
      <Do act="drop" disabled={!several.length} onClick={acts.drop}>
        {dropping || !several.length ? "Drop" : "Take back"}
        {many}
      </Do>
      <Do act="lock" disabled={!several.length} onClick={acts.lock}>
        {several.length > 0 && several.every((row) => row.locked) ? "Unlock" : "Lock"}
        {many}
      </Do>
      <Do act="loopIt" disabled={!current} onClick={acts.loopIt}>
        {current?.loop ? "No loop" : "Loop"}
      </Do>
      <Acts
        label="More for the chosen slices"
        acts={[
          ...when(several.length > 0, {
            key: "snap",
            label: "To zero crossings",
            hint: "Both edges to the zero crossing nearest to each, within 5 ms",
            onDo: onSnap,
          }),
          ...(onAdd ? [{ key: "add", label: "Slice from mark", hint: "Make the marked part a slice", onDo: onAdd }] : []),
          ...when(current, { key: "edges", label: `Hear both edges, ${shown("bothEdges")}`, onDo: acts.bothEdges }),
          ...when(current?.loop, { key: "seam", label: `Hear the seam of the loop, ${shown("seam")}`, onDo: acts.seam }),
          ...when(several.length > 0, {
            key: "keys",
            label: `Play${many} on keys, ${shown("perform")}`,
            hint: "What is chosen, finished, under the letters of the keyboard",
            onDo: acts.perform,
          }),
          ...when(several.length > 0, {
            key: "stack",
            label: `Stack${many} as layers, ${shown("toLayer")}`,
            hint: "A new design with their attacks on the strike line",
            onDo: acts.toLayer,
          }),
        ]}
      />
      <Box flex={1} />
      {groups > 0 && (
        <Do
          on={group !== null}
          disabled={group === null && current !== null && current.facts?.group == null}
          onClick={() => setGroup(group === null ? (current?.facts?.group ?? null) : null)}
          hint="Show only the slices that sound like the chosen one"
        >
          {group === null ? "Alike only" : `Alike ${group} only`}
        </Do>
      )}
      {groups > 0 && (
        <Do disabled={!spare.length} onClick={onBest} hint="Keep the best slice of each group that sounds alike, and drop the rest">
          Best of {groups} alike
        </Do>
      )}
      <Do act="finished" on={!raw} onClick={acts.finished}>
        {raw ? "Heard raw" : "Heard finished"}
      </Do>
      <Fold label="Columns" hint="Which columns are shown" over>
        {COLUMNS.map((column) => (
          <Tick
            key={column.name}
            label={column.name}
            on={picked ? picked.includes(column.name) : !column.roomy}
            onChange={(on) => showColumn(column.name, on)}
          >
            {column.name}
          </Tick>
        ))}
      </Fold>
    </Flex>
  );
}
