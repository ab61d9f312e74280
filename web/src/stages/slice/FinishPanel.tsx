/** How every slice is finished, what one-shots are called, and which sounds are sliced along. */
import { Box, Flex } from "@chakra-ui/react";
import { useQueries } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { api, got, type Plan, type Step } from "../../api/client";
import { levelNames } from "../../between/levels";
import { useChains } from "../../chain/SavedChains";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Controls } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Heading, Line } from "../../ui/frames";

interface Props {
  plan: Plan;
  /** Peak of the loudest kept slice before the finish (dBFS); null until all of them are measured. */
  loudest: number | null;
  onFinish: (values: Partial<Plan["finish"]>, gesture?: string) => void;
  onPlan: (values: Partial<Plan>) => void;
}

/** Where the loudest peak comes to lie when one gain is fitted (dBFS). */
const FITTED_DB = -1;

/** What a chain does, whatever its steps are called by. */
const sameSteps = (chain: readonly Step[]) => JSON.stringify(chain.map((step) => [step.kind, step.params, step.on]));

export function FinishPanel({ plan, loudest, onFinish, onPlan }: Props) {
  const go = useNavigate();
  const library = useShared((state) => state.library);
  const chains = useChains().data ?? [];
  const finish = plan.finish;
  const named = chains.find((one) => sameSteps(one.chain) === sameSteps(finish.chain));
  const stems = useQueries({
    queries: plan.stems.map((id) => ({
      queryKey: ["sound", library, id],
      queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}", { params: { path: { library, id } } })),
    })),
  });
  return (
    <>
      <Controls<Plan["finish"]> model="Finish" names={["through"]} value={finish} onChange={onFinish} />
      <Flex justify="space-between" align="center" gap="8px">
        <Box color="dim" fontSize="13px">
          Then through
        </Box>
        <Choose
          label="Then through"
          value={finish.chain.length ? (named ? String(named.id) : "own") : ""}
          options={[
            ["", "no other chain"],
            ...(finish.chain.length && !named ? [["own", `${finish.chain.length} steps of its own`] as const] : []),
            ...chains.map((one) => [String(one.id), one.name] as const),
          ]}
          onChange={(id) => id !== "own" && onFinish({ chain: chains.find((one) => String(one.id) === id)?.chain ?? [] })}
        />
      </Flex>
      <Controls<Plan["finish"]>
        model="Finish"
        names={[
          ...(finish.chain.length ? (["tail"] as const) : []),
          "silence_dbfs",
          ...(finish.silence_dbfs == null ? [] : (["room_ms"] as const)),
          "tune_to",
          ...(finish.tune_to ? (["tune_keeps_length"] as const) : []),
          "mono",
          "fade_in_ms",
          "fade_out_ms",
          "level_by",
          ...levelNames(finish),
        ]}
        value={finish}
        onChange={onFinish}
      />
      {finish.level_by === "one gain" && (
        <Do
          disabled={loudest === null}
          onClick={() => loudest !== null && onFinish({ gain_db: Math.floor((FITTED_DB - loudest) * 10) / 10 })}
          hint="The gain at which the loudest kept slice, before its fades, peaks at -1 dBFS; all others stay as far under it as they are"
        >
          Fit the loudest to {FITTED_DB} dB
        </Do>
      )}
      <Line />
      <Heading>One-shots are called</Heading>
      <TextField label="Names of the one-shots" value={plan.names} onCommit={(names) => names.trim() && onPlan({ names: names.trim() })} />
      <Box color="dim" fontSize="12px">
        {"{name} {number} {kit} {alike} {category} {length}; kit and alike are tags too."}
      </Box>
      {plan.stems.length > 0 && (
        <>
          <Line />
          <Heading>Sliced along, at the same moments</Heading>
          {plan.stems.map((id, i) => (
            <Flex key={id} justify="space-between" align="center" gap="8px">
              <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {stems[i]?.data?.name ?? `Sound ${id}`}
              </Box>
              <Do quiet onClick={() => onPlan({ stems: plan.stems.filter((one) => one !== id) })}>
                Leave out
              </Do>
            </Flex>
          ))}
          <Box color="dim" fontSize="12px">
            Each through its own chain; where the better channel is kept, its own; tuned as the first one is.
          </Box>
        </>
      )}
      <Line />
      <Do onClick={() => go("/ship")}>Go on to Ship</Do>
    </>
  );
}
