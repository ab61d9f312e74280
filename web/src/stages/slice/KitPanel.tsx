/** Kits: the kept slices dealt into groups, each shown alone, played on keys or stacked. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Plan } from "../../api/client";
import { Acts } from "../../ui/Acts";
import { Bare, Do } from "../../ui/buttons";
import { Controls } from "../../ui/controls";
import { NameInput } from "../../ui/fields";
import { Heading, Line } from "../../ui/frames";
import type { Edit } from "./usePlan";

interface Props {
  plan: Plan;
  /** The kit that is shown alone, counted from 0. */
  shown: number | null;
  onShow: (kit: number | null) => void;
  onDeal: (settings: Plan["kitting"]) => void;
  onPlay: (kit: number) => void;
  onSettings: (settings: Plan["kitting"]) => void;
  /** Slices that are chosen in the table. */
  chosen: readonly number[];
  onEdit: (edit: Edit) => void;
  onClear: () => void;
}

export function KitPanel({ plan, shown, onShow, onDeal, onPlay, onSettings, chosen, onEdit, onClear }: Props) {
  const [naming, setNaming] = useState<number | null>(null);
  const these = chosen.length === 1 ? "the chosen slice" : `the ${chosen.length} chosen slices`;
  const kept = new Map(plan.slices.flatMap((piece) => (piece.dropped ? [] : [[piece.id, piece.end_s - piece.start_s] as const])));
  const count = Math.ceil(kept.size / plan.kitting.size);
  return (
    <>
      <Controls<Plan["kitting"]>
        model="KitSettings"
        names={["size", "by", "each"]}
        value={plan.kitting}
        onChange={(values) => onSettings({ ...plan.kitting, ...values })}
      />
      <Do disabled={!kept.size} onClick={() => onDeal(plan.kitting)}>
        Deal {kept.size} slices into {count} {count === 1 ? "kit" : "kits"}
      </Do>
      <Do disabled={!chosen.length} onClick={() => onEdit({ do: "to kit", kit: null, ids: [...chosen] })}>
        A kit of {chosen.length ? these : "chosen slices"}
      </Do>
      {plan.kits.length > 0 && (
        <>
          <Line />
          <Heading>Kits</Heading>
          {plan.kits.map((kit, i) => {
            const there = kit.slices.filter((id) => kept.has(id));
            const seconds = there.reduce((sum, id) => sum + (kept.get(id) ?? 0), 0);
            return (
              <Flex key={kit.name} align="center" gap="2px">
                {naming === i ? (
                  <NameInput
                    label={`Name of ${kit.name}`}
                    defaultValue={kit.name}
                    maxLength={80}
                    onNamed={(name) => name !== kit.name && onEdit({ do: "name kit", kit: i, name })}
                    onLeave={() => setNaming(null)}
                  />
                ) : (
                  <Bare
                    flex={1}
                    px="8px"
                    h="30px"
                    borderRadius="8px"
                    bg={shown === i ? "amberSoft" : undefined}
                    aria-pressed={shown === i}
                    display="flex"
                    justifyContent="space-between"
                    alignItems="center"
                    onClick={() => onShow(shown === i ? null : i)}
                  >
                    <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={kit.name}>
                      {kit.name}
                    </Box>
                    <Box fontFamily="mono" fontSize="12px" color="dim" whiteSpace="nowrap" title="Slices, and how long they are in the mean">
                      {there.length}, {(seconds / Math.max(1, there.length)).toFixed(2)} s
                    </Box>
                  </Bare>
                )}
                <Do quiet disabled={!there.length} onClick={() => onPlay(i)} aria-label={`Keys of ${kit.name}`} hint={`Play ${kit.name} on the keys`}>
                  Keys
                </Do>
                <Acts
                  label={`More of ${kit.name}`}
                  acts={[
                    { key: "name", label: "Rename", asks: true, onDo: () => setNaming(i) },
                    ...(chosen.length
                      ? [
                          {
                            key: "put",
                            label: `Put ${these} here`,
                            hint: "out of the kit it was in",
                            onDo: () => onEdit({ do: "to kit", kit: i, ids: [...chosen] }),
                          },
                        ]
                      : []),
                    ...(kit.slices.some((id) => chosen.includes(id))
                      ? [
                          {
                            key: "out",
                            label: `Take ${these} out`,
                            onDo: () => onEdit({ do: "from kits", ids: chosen.filter((id) => kit.slices.includes(id)) }),
                          },
                        ]
                      : []),
                    {
                      key: "gone",
                      label: "Take this kit away",
                      hint: "its slices stay",
                      onDo: () => {
                        onShow(null);
                        onEdit({ do: "from kits", ids: [...kit.slices] });
                      },
                    },
                  ]}
                />
              </Flex>
            );
          })}
          <Do quiet onClick={onClear}>
            Take the kits away
          </Do>
        </>
      )}
    </>
  );
}
