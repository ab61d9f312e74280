import { Box, Flex, Progress } from "@chakra-ui/react";
import { api, got } from "../api/client";
import { useJobs } from "../session/jobs";
import { stopUploading, useUploading } from "../session/uploading";
import { Do } from "../ui/buttons";
import { left } from "../ui/format";
import { complain } from "../ui/messages";

interface Going {
  label: string;
  title: string;
  /** Of 1. */
  share: number;
  left: string;
  end: string;
  hint?: string;
  onEnd: () => void;
  others?: number;
}

/** One thing that is going on: how far it is, what is left, and its end. */
function GoingOn({ label, title, share, left, end, hint, onEnd, others = 0 }: Going) {
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
      aria-label={label}
    >
      <Box maxW="220px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        {title}
      </Box>
      <Progress.Root w="60px" value={Math.round(share * 1000)} max={1000} aria-label={title}>
        <Progress.Track>
          <Progress.Range />
        </Progress.Track>
      </Progress.Root>
      <Box color="dim" minW="76px">
        {left}
      </Box>
      <Do quiet hint={hint} onClick={onEnd}>
        {end}
      </Do>
      {others > 0 && <Box color="dim">+{others}</Box>}
    </Flex>
  );
}

/** Files on their way to the server, else the newest running job. */
export function JobsView() {
  const jobs = useJobs((state) => state.jobs);
  const sending = useUploading((state) => state.now);
  const running = Object.values(jobs).filter((job) => job.state === "running");
  if (sending) {
    const { name, files, filesDone, bytes, bytesDone } = sending;
    return (
      <GoingOn
        label="Files being sent"
        title={`Sending ${files > 1 ? `${filesDone} / ${files}` : name}`}
        share={bytes ? bytesDone / bytes : 0}
        left={`${(bytesDone / 1e6).toFixed(0)} of ${(bytes / 1e6).toFixed(0)} MB`}
        end="Stop"
        hint="End sending; what has arrived is taken in"
        onEnd={stopUploading}
      />
    );
  }
  if (!running.length) return null;
  const job = running[running.length - 1];
  return (
    <GoingOn
      label="Running job"
      title={`${job.title} ${job.total ? `${job.done} / ${job.total}` : ""}`}
      share={job.total ? job.done / job.total : 0}
      left={left(job.left_s ?? null)}
      end="Cancel"
      onEnd={() => got(api.POST("/api/jobs/{id}/cancel", { params: { path: { id: job.id } } })).catch(complain)}
      others={running.length - 1}
    />
  );
}
