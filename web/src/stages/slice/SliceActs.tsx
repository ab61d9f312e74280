/** What can be done to the slices that are chosen, over the table. */
import { Box, Flex } from "@chakra-ui/react";
import { Acts, type MenuAct } from "../../ui/Acts";
import { Do } from "../../ui/buttons";
import { Tick } from "../../ui/choices";
import { Fold } from "../../ui/Fold";
import { shown } from "../../ui/keys";
import { COLUMNS, type Row, showColumn, useShownColumns } from "./columns";

interface Props {
  current: Row | null;
  several: readonly Row[];
  /** Slices that sound like another that is better. */
  spare: readonly Row[];
  groups: number;
  group: number | null;
  raw: boolean;
  canAdd: boolean;
  onGroup: (group: number | null) => void;
  onRaw: () => void;
  onSplit: () => void;
  onMerge: () => void;
  onDrop: () => void;
  onBest: () => void;
  onSnap: () => void;
  onAdd: () => void;
  onLock: () => void;
  onLoop: () => void;
  onSeam: () => void;
  onEdges: () => void;
  onKeys: () => void;
  onStack: () => void;
}

const when = (there: unknown, act: MenuAct): MenuAct[] => (there ? [act] : []);

export function SliceActs(props: Props) {
  const { current, several, spare, groups, group, raw } = props;
  const picked = useShownColumns((state) => state.chosen);
  const dropping = several.some((row) => !row.dropped);
  const many = several.length > 1 ? ` ${several.length}` : "";
  return (
    <Flex gap="8px" px="12px" py="6px" wrap="wrap" borderTop="1px solid" borderBottom="1px solid" borderColor="line" flexShrink={0} align="center">
      <Do act="split" disabled={!current} onClick={props.onSplit}>
        Split
      </Do>
      <Do act="merge" disabled={!current} onClick={props.onMerge}>
        Merge
      </Do>
      <Do act="drop" disabled={!several.length} onClick={props.onDrop}>
        {dropping || !several.length ? "Drop" : "Take back"}
        {many}
      </Do>
      <Do act="lock" disabled={!several.length} onClick={props.onLock}>
        {several.length > 0 && several.every((row) => row.locked) ? "Unlock" : "Lock"}
        {many}
      </Do>
      <Do act="loopIt" disabled={!current} onClick={props.onLoop}>
        {current?.loop ? "No loop" : "Loop"}
      </Do>
      <Acts
        label="More for the chosen slices"
        acts={[
          ...when(several.length > 0, {
            key: "snap",
            label: "To zero crossings",
            hint: "Both edges to the zero crossing nearest to each, within 5 ms",
            onDo: props.onSnap,
          }),
          ...when(props.canAdd, { key: "add", label: "Slice from mark", hint: "Make the marked part a slice", onDo: props.onAdd }),
          ...when(current, { key: "edges", label: `Hear both edges, ${shown("bothEdges")}`, onDo: props.onEdges }),
          ...when(current?.loop, { key: "seam", label: `Hear the seam of the loop, ${shown("seam")}`, onDo: props.onSeam }),
          ...when(several.length > 0, {
            key: "keys",
            label: `Play${many} on keys, ${shown("perform")}`,
            hint: "What is chosen, finished, under the letters of the keyboard",
            onDo: props.onKeys,
          }),
          ...when(several.length > 0, {
            key: "stack",
            label: `Stack${many} as layers, ${shown("toLayer")}`,
            hint: "A new design with their attacks on the strike line",
            onDo: props.onStack,
          }),
        ]}
      />
      <Box flex={1} />
      {groups > 0 && (
        <Do
          on={group !== null}
          disabled={group === null && current !== null && current.facts?.group == null}
          onClick={() => props.onGroup(group === null ? (current?.facts?.group ?? null) : null)}
          hint="Show only the slices that sound like the chosen one"
        >
          {group === null ? "Alike only" : `Alike ${group} only`}
        </Do>
      )}
      {groups > 0 && (
        <Do disabled={!spare.length} onClick={props.onBest} hint="Keep the best slice of each group that sounds alike, and drop the rest">
          Best of {groups} alike
        </Do>
      )}
      <Do act="finished" on={!raw} onClick={props.onRaw}>
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
