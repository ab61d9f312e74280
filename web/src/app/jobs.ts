/** Jobs as the server tells of them. */
import { useEffect } from "react";
import { create } from "zustand";
import type { Job } from "../api/client";
import { queries, tell } from "./store";

interface JobsState {
  jobs: Record<number, Job>;
}

export const useJobs = create<JobsState>(() => ({ jobs: {} }));

const ended = new Map<number, (job: Job) => void>();

/** Wait for the end of a job. */
export function whenDone(number: number): Promise<Job> {
  const known = useJobs.getState().jobs[number];
  if (known && known.state !== "running") return Promise.resolve(known);
  return new Promise((resolve) => ended.set(number, resolve));
}

export function useJobEvents() {
  useEffect(() => {
    const source = new EventSource("/api/events");
    source.addEventListener("job", (event) => {
      const job = JSON.parse((event as MessageEvent<string>).data) as Job;
      useJobs.setState((state) => ({ jobs: { ...state.jobs, [job.id]: job } }));
      if (job.state === "running") return;
      ended.get(job.id)?.(job);
      ended.delete(job.id);
      if (job.kind === "recover" && job.state === "done")
        tell(`${job.result.name} was recovered: its page or the server went away while it was recorded.`);
      for (const key of ["sounds", "counts", "arrivals", "spread", "spreads", "shipments", "state", "plans", "wanted"])
        void queries.invalidateQueries({ queryKey: [key] });
      if (job.state === "failed") tell(job.message, true);
      if (job.state === "cancelled") tell(`${job.title}: cancelled; what was finished stays.`);
    });
    return () => source.close();
  }, []);
}
