/** A shipment while it runs: how far each worker is, what is left; it rests, goes on, or ends. */
import { Box, Flex, Progress } from "@chakra-ui/react";
import { api, got } from "../../api/client";
import { useJobs } from "../../session/jobs";
import { Do } from "../../ui/buttons";
import { left } from "../../ui/format";
import { complain } from "../../ui/messages";

export function Running({ library }: { library: string }) {
  const jobs = useJobs((state) => state.jobs);
  const job = Object.values(jobs).find((one) => one.kind === "ship" && one.library === library && one.state === "running");
  if (!job) return null;
  const path = { id: job.id };
  const workers = job.workers ?? [];
  const most = Math.max(1, ...workers.map((one) => one.done));
  return (
    <Flex
      direction="column"
      role="region"
      aria-label="Shipping now"
      gap="6px"
      px="16px"
      py="10px"
      bg="raised"
      borderBottom="1px solid"
      borderColor="line"
      fontSize="12px"
    >
      <Flex align="center" gap="12px">
        <Box flex={1}>
          {job.title}: {job.done} of {job.total}
          {job.paused ? ", paused" : job.left_s == null ? "" : `, ${left(job.left_s)}`}
        </Box>
        <Do
          on={!!job.paused}
          onClick={() => got(api.POST("/api/jobs/{id}/pause", { params: { path }, body: { on: !job.paused } })).catch(complain)}
          hint={job.paused ? "Go on where it rests" : "Files that are begun are finished; nothing else is begun"}
        >
          {job.paused ? "Go on" : "Pause"}
        </Do>
        <Do onClick={() => got(api.POST("/api/jobs/{id}/cancel", { params: { path } })).catch(complain)} hint="What is finished stays">
          Cancel
        </Do>
      </Flex>
      {workers.map((one) => (
        <Flex key={one.name} align="center" gap="10px" fontFamily="mono" fontSize="11px">
          <Box w="150px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={one.name}>
            {one.name}
          </Box>
          <Progress.Root w="120px" value={one.done} max={most} aria-label={`Files written by ${one.name}`}>
            <Progress.Track>
              <Progress.Range />
            </Progress.Track>
          </Progress.Root>
          <Box w="50px">{one.done}</Box>
          <Box flex={1} minW={0} color="dim" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {one.last}
          </Box>
        </Flex>
      ))}
    </Flex>
  );
}
