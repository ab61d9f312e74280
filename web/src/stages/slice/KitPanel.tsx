/** Kits: the kept slices dealt into groups, each shown alone, played on keys or stacked. */
import { Box, Flex } from "@chakra-ui/react";
import type { Plan } from "../../api/client";
import { Bare, Do } from "../../ui/buttons";
import { Controls } from "../../ui/controls";
import { Heading, Line } from "../../ui/frames";

interface Props {
  plan: Plan;
  /** The kit that is shown alone, counted from 0. */
  shown: number | null;
  onShow: (kit: number | null) => void;
  onDeal: (settings: Plan["kitting"]) => void;
  onPlay: (kit: number) => void;
  onSettings: (settings: Plan["kitting"]) => void;
  onClear: () => void;
}

export function KitPanel({ plan, shown, onShow, onDeal, onPlay, onSettings, onClear }: Props) {
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
      {plan.kits.length > 0 && (
        <>
          <Line />
          <Heading>Kits</Heading>
          {plan.kits.map((kit, i) => {
            const there = kit.slices.filter((id) => kept.has(id));
            const seconds = there.reduce((sum, id) => sum + (kept.get(id) ?? 0), 0);
            return (
              <Flex key={kit.name} align="center" gap="6px">
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
                  <Box>{kit.name}</Box>
                  <Box fontFamily="mono" fontSize="12px" color="dim">
                    {there.length}, {(seconds / Math.max(1, there.length)).toFixed(2)} s each
                  </Box>
                </Bare>
                <Do quiet disabled={!there.length} onClick={() => onPlay(i)} aria-label={`Keys of ${kit.name}`} hint={`Play ${kit.name} on the keys`}>
                  Keys
                </Do>
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
