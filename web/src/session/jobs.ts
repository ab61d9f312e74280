/** Jobs as the server tells of them. */
import { useEffect } from "react";
import { create } from "zustand";
import { type Job, PAGE } from "../api/client";
import { tell } from "../ui/messages";
import { queries, useShared } from "./store";

interface JobsState {
  jobs: Record<number, Job>;
}

type Result = NonNullable<Job["result"]>;
type Kind = NonNullable<Result["kind"]>;
/** A job of a kind that has ended: its result when it was done, else none; the page was told why. */
export type Ended<K extends Kind> = Omit<Job, "result"> & { result: ResultOf<K> | null };
export type ResultOf<K extends Kind> = Extract<Result, { kind?: K }>;

export const useJobs = create<JobsState>(() => ({ jobs: {} }));

const ended = new Map<number, (job: Job) => void>();

/** Wait for the end of a job of a kind; a server that is started again meanwhile goes on with it. */
export async function whenDone<K extends Kind>(id: number, kind: K): Promise<Ended<K>> {
  const known = useJobs.getState().jobs[id];
  const job = known && known.state !== "running" ? known : await new Promise<Job>((resolve) => ended.set(id, resolve));
  return { ...job, result: job.result?.kind === kind ? (job.result as ResultOf<K>) : null };
}

/** What is said of a job that nobody waits for any more: its page was left, or the server was started again. */
function saidLate({ title, result }: Job): string {
  switch (result?.kind) {
    case "import":
    case "upload":
      return `${title}: ${result.imported} imported.`;
    case "recover":
      return `${result.name} was recovered: its page or the server went away while it was recorded.`;
    case "offload":
      return `${title}: ${result.copied} takes are in the library${result.failed?.length ? `, ${result.failed.length} failed` : ""}.`;
    case "ship":
      return `${title}: ${result.files} files, ${result.failed} failed.`;
    case "export":
      return `${title}: ${result.files.length} files written${result.failed.length ? `, ${result.failed.length} failed` : ""}.`;
    case "slice":
      return `${title}: ${result.sounds.length} are in the library${result.failed?.length ? `, ${result.failed.length} failed` : ""}.`;
    case "selects":
      return `${title}: ${result.sounds.length} are in the library.`;
    case "film":
      return `${result.name} is open${result.shots ? `; ${result.shots} shot changes were found` : ""}.`;
    case "scene":
      return `${title}: written to ${result.folder}.`;
    case "backup":
      return `The library is kept in ${result.path}.`;
    default:
      return "";
  }
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

/** A document was changed in this window, by something else than its editor. */
export function changedHere(what: string, id: number) {
  const { library } = useShared.getState();
  for (const listener of [...listeners]) listener({ what, id, library, page: PAGE });
}

/** Lists that show what was changed. */
const SHOWN: Record<string, string[]> = {
  design: ["designs", "stale", "newer"],
  chain: ["sounds", "sound", "opened", "older", "newer"],
  plan: ["plans"],
  reel: ["reels"],
  sheet: ["sheet"],
  recipe: ["recipe-draft"],
  "saved recipe": ["recipes"],
  spread: ["spread", "spreads"],
  scene: ["scenes", "counts"],
};

/** What jobs bring one by one, and how often it is looked for meanwhile. */
const SOUNDS = ["sounds", "counts", "arrivals"];
const BRINGING: Record<string, { shown: string[]; every: number }> = {
  import: { shown: SOUNDS, every: 1500 },
  upload: { shown: SOUNDS, every: 1500 },
  offload: { shown: SOUNDS, every: 1500 },
  vary: { shown: ["spread"], every: 300 },
  measure: { shown: ["measured-slices"], every: 500 },
  film: { shown: ["films"], every: 1000 },
};
let looking: ReturnType<typeof setTimeout> | undefined;

/** Show what a job has brought so far, a moment after it brought something. */
function arriving(job: Job) {
  const brings = BRINGING[job.kind];
  if (looking || !brings || job.library !== useShared.getState().library) return;
  looking = setTimeout(() => {
    looking = undefined;
    for (const key of brings.shown) void queries.invalidateQueries({ queryKey: [key] });
  }, brings.every);
}

export function useJobEvents() {
  useEffect(() => {
    const source = new EventSource("/api/events");
    // what others changed while the connection was away was not heard
    let before = false;
    source.addEventListener("open", () => {
      if (before) void queries.invalidateQueries();
      before = true;
    });
    source.addEventListener("job", (event) => {
      const job = JSON.parse((event as MessageEvent<string>).data);
      useJobs.setState((state) => ({ jobs: { ...state.jobs, [job.id]: job } }));
      if (job.state === "running") return arriving(job);
      const waited = ended.get(job.id);
      waited?.(job);
      ended.delete(job.id);
      const late = waited ? "" : saidLate(job);
      if (late) tell(late);
      for (const key of [
        "sounds",
        "counts",
        "arrivals",
        "spread",
        "spreads",
        "shipments",
        "state",
        "plans",
        "wanted",
        "measured-slices",
        "older",
        "films",
      ])
        void queries.invalidateQueries({ queryKey: [key] });
      if (job.state === "failed" || job.state === "interrupted") tell(job.message, true);
      if (job.state === "cancelled") tell(`${job.title}: cancelled; what was finished stays.`);
    });
    source.addEventListener("changed", (event) => {
      const changed = JSON.parse((event as MessageEvent<string>).data);
      if (changed.page === PAGE) return;
      for (const key of SHOWN[changed.what] ?? []) void queries.invalidateQueries({ queryKey: [key] });
      for (const listener of [...listeners]) listener(changed);
    });
    return () => source.close();
  }, []);
}
