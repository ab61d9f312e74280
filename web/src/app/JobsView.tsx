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
  /** Null where it cannot rest. */
  paused?: boolean | null;
  onPause?: () => void;
}

/** One thing that is going on: how far it is, what is left, and its end. */
function GoingOn({ label, title, share, left, end, hint, onEnd, others = 0, paused = null, onPause }: Going) {
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
      minW={0}
      role="status"
      aria-label={label}
    >
      <Box minW={0} maxW="220px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        {title}
      </Box>
      <Progress.Root w="60px" flexShrink={0} value={Math.round(share * 1000)} max={1000} aria-label={title}>
        <Progress.Track>
          <Progress.Range />
        </Progress.Track>
      </Progress.Root>
      <Box color="dim" minW="76px" flexShrink={0} whiteSpace="nowrap">
        {left}
      </Box>
      {paused !== null && (
        <Do quiet on={paused} onClick={onPause} hint={paused ? "Go on where it rests" : "What is begun is finished; nothing else is begun"}>
          {paused ? "Go on" : "Pause"}
        </Do>
      )}
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
      left={job.paused ? "paused" : left(job.left_s ?? null)}
      // the stage that ships has a place of its own for it
      paused={job.kind === "ship" ? null : (job.paused ?? null)}
      onPause={() => got(api.POST("/api/jobs/{id}/pause", { params: { path: { id: job.id } }, body: { on: !job.paused } })).catch(complain)}
      end="Cancel"
      onEnd={() => got(api.POST("/api/jobs/{id}/cancel", { params: { path: { id: job.id } } })).catch(complain)}
      others={running.length - 1}
    />
  );
}
