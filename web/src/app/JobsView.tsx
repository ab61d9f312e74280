import { Box, Flex } from "@chakra-ui/react";
import { api, got } from "../api/client";
import { left } from "./format";
import { useJobs } from "./jobs";
import { Do } from "./parts";
import { complain } from "./store";
import { stopUploading, useUploading } from "./uploading";

/** Files on their way to the server. */
function Sending({ name, files, filesDone, bytes, bytesDone }: NonNullable<ReturnType<typeof useUploading.getState>["now"]>) {
  const share = bytes ? bytesDone / bytes : 0;
  return (
    <Flex
      align="center"
      gap="10px"
      border="1px solid"
      borderColor="line"
      borderRadius="8px"
      px="10px"
      py="3px"
      fontFamily="mono"
      fontSize="11px"
      role="status"
      aria-label="Files being sent"
    >
      <Box maxW="220px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        Sending {files > 1 ? `${filesDone} / ${files}` : name}
      </Box>
      <Box w="60px" h="5px" borderRadius="3px" bg="line">
        <Box w={`${share * 100}%`} h="100%" borderRadius="3px" bg="glass" />
      </Box>
      <Box color="dim" w="110px">
        {(bytesDone / 1e6).toFixed(0)} of {(bytes / 1e6).toFixed(0)} MB
      </Box>
      <Do quiet hint="End sending; what has arrived is taken in" onClick={stopUploading}>
        Stop
      </Do>
    </Flex>
  );
}

/** Running jobs with progress, time left and cancel. */
export function JobsView() {
  const jobs = useJobs((state) => state.jobs);
  const sending = useUploading((state) => state.now);
  const running = Object.values(jobs).filter((job) => job.state === "running");
  if (sending) return <Sending {...sending} />;
  if (!running.length) return null;
  const job = running[running.length - 1];
  const share = job.total ? job.done / job.total : 0;
  const cancel = () => got(api.POST("/api/jobs/{number}/cancel", { params: { path: { number: job.id } } })).catch(complain);
  return (
    <Flex
      align="center"
      gap="10px"
      border="1px solid"
      borderColor="line"
      borderRadius="8px"
      px="10px"
      py="3px"
      fontFamily="mono"
      fontSize="11px"
      role="status"
      aria-label="Running job"
    >
      <Box maxW="220px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        {job.title} {job.total ? `${job.done} / ${job.total}` : ""}
      </Box>
      <Box w="60px" h="5px" borderRadius="3px" bg="line">
        <Box w={`${share * 100}%`} h="100%" borderRadius="3px" bg="glass" />
      </Box>
      <Box color="dim" w="76px">
        {left(job.left_s ?? null)}
      </Box>
      <Do quiet onClick={cancel}>
        Cancel
      </Do>
      {running.length > 1 && <Box color="dim">+{running.length - 1}</Box>}
    </Flex>
  );
}
