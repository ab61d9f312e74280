/** What a repair step found, one by one: heard on a click, and left as it is when it is no fault. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got, type Node, type Step, slowly } from "../../api/client";
import { Bare, Do } from "../../ui/buttons";
import { Tick } from "../../ui/choices";
import { useSettled } from "../../ui/useSettled";

const NEAR_S = 0.002;
const SHOWN = 60;

export const LISTING = ["clicks", "bumps", "clipped"];

export function Listed({
  library,
  base,
  chain,
  onChange,
  onHear,
}: {
  library: string;
  base: Node;
  /** Up to and with the step whose findings are shown. */
  chain: Step[];
  onChange: (params: Record<string, unknown>) => void;
  onHear: (start: number, end: number) => void;
}) {
  const step = chain[chain.length - 1];
  const { skip: _, ...rest } = step.params as Record<string, unknown>;
  const settled = useSettled([...chain.slice(0, -1), { ...step, params: rest }], 150);
  const found = useQuery({
    queryKey: ["listed", library, base, settled],
    enabled: step.on,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      slowly(signal, () =>
        got(api.POST("/api/lib/{library}/mend/listed", { params: { path: { library } }, body: { node: base, chain: settled }, signal })),
      ),
  });
  const skip = (step.params as { skip?: number[] }).skip ?? [];
  const left = (at: number, end: number) => skip.find((moment) => moment >= at - NEAR_S && moment <= end + NEAR_S);
  const rows = found.data ?? [];
  if (!rows.length) return null;
  return (
    <Box>
      <Flex justify="space-between" align="center">
        <Box color="dim" fontSize="12px">
          {rows.length > SHOWN ? `The first ${SHOWN} of ${rows.length}` : "Each of them"}; untick what is no fault
        </Box>
        {skip.length > 0 && (
          <Do quiet onClick={() => onChange({ skip: [] })}>
            All again
          </Do>
        )}
      </Flex>
      <Box as="ul" maxH="150px" overflow="auto" tabIndex={0} aria-label="What was found" bg="sheet" borderRadius="6px" p="4px">
        {rows.slice(0, SHOWN).map((one) => {
          const kept = left(one.at_s, one.end_s);
          return (
            <Flex as="li" key={`${one.channel} ${one.at_s}`} align="center" gap="7px" fontSize="11px" fontFamily="mono">
              <Tick
                on={kept === undefined}
                label={`Mend the one at ${one.at_s.toFixed(3)} s`}
                onChange={() => onChange({ skip: kept === undefined ? [...skip, one.at_s] : skip.filter((moment) => moment !== kept) })}
              />
              <Bare
                cursor="pointer"
                title="Hear it"
                onClick={() => onHear(Math.max(0, one.at_s - 0.4), one.end_s + 0.4)}
                color={kept === undefined ? "chalk" : "dim"}
                _hover={{ color: "amber" }}
              >
                {one.at_s.toFixed(3)} s,{" "}
                {((one.end_s - one.at_s) * 1000).toFixed(one.end_s - one.at_s < 0.001 ? 2 : one.end_s - one.at_s < 0.01 ? 1 : 0)} ms
                {one.channel ? `, channel ${one.channel + 1}` : ""}, {one.height_db.toFixed(0)} dB
                {one.sure !== null && `, ${Math.round(one.sure * 100)} % sure`}
              </Bare>
            </Flex>
          );
        })}
      </Box>
    </Box>
  );
}
