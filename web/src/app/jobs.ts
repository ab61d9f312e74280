/** Jobs as the server tells of them. */
import { useEffect } from "react";
import { create } from "zustand";
import { type Job, PAGE } from "../api/client";
import { queries, tell, useShared } from "./store";

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

interface Changed {
  library: string;
  what: string;
  id: number;
  page: string;
}

type Listener = (event: Changed) => void;
const listeners = new Set<Listener>();

/** Hear of changes that another window made of a document. */
export function onChanged(what: string, id: number, told: () => void): () => void {
  const listener = (event: Changed) => {
    if (event.what === what && event.id === id && event.library === useShared.getState().library) told();
  };
  listeners.add(listener);
  return () => {
    listeners.delete(listener);
  };
}

/** Lists that show what was changed. */
const SHOWN: Record<string, string[]> = {
  design: ["designs", "stale"],
  chain: ["sounds", "sound", "opened"],
  plan: ["plans"],
  reel: ["reels"],
  sheet: ["sheet"],
  recipe: ["recipe-draft"],
};

export function useJobEvents() {
  useEffect(() => {
    const source = new EventSource("/api/events");
    source.addEventListener("job", (event) => {
      const job = JSON.parse((event as MessageEvent<string>).data) as Job;
      useJobs.setState((state) => ({ jobs: { ...state.jobs, [job.id]: job } }));
      if (job.state === "running") return;
      const waited = ended.get(job.id);
      waited?.(job);
      // an import whose page was left, or that went on after a restart
      if (!waited && job.kind === "import" && job.state === "done")
        tell(`${job.title}: ${(job.result as { imported?: number }).imported ?? 0} imported.`);
      ended.delete(job.id);
      if (job.kind === "recover" && job.state === "done")
        tell(`${job.result.name} was recovered: its page or the server went away while it was recorded.`);
      for (const key of ["sounds", "counts", "arrivals", "spread", "spreads", "shipments", "state", "plans", "wanted"])
        void queries.invalidateQueries({ queryKey: [key] });
      if (job.state === "failed") tell(job.message, true);
      if (job.state === "cancelled") tell(`${job.title}: cancelled; what was finished stays.`);
    });
    source.addEventListener("changed", (event) => {
      const changed = JSON.parse((event as MessageEvent<string>).data) as Changed;
      if (changed.page === PAGE) return;
      for (const key of SHOWN[changed.what] ?? []) void queries.invalidateQueries({ queryKey: [key] });
      for (const listener of [...listeners]) listener(changed);
    });
    return () => source.close();
  }, []);
}
