/** Sounds are opened to be heard; long ones are heard by estimates until their steps have measured all of them. */
import { QueryObserver, queryOptions, useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, early, got, type Node, type Opened, Refused, type Schemas } from "../api/client";
import { queries } from "../session/store";
import { complain, tell } from "../ui/messages";
import { player } from "./player";
import { type Heard, type Through, useListening } from "./state";

export type ToOpen = Partial<Schemas["ToOpen"]>;

const AGAIN_MS = 1000;

/** Make something ready to be heard; where all of a long sound must be measured first, that is waited for. */
export const openWhole = (library: string, body: ToOpen) =>
  got(
    api.POST("/api/lib/{library}/open", {
      params: { path: { library } },
      body: { node: null, told: "", sound: null, chain: [], estimate: false, ...body },
    }),
  );

/** Make something ready to be heard at once: by estimates for now, where all of a long sound must be measured first. */
export const openSoon = (library: string, body: ToOpen) => openWhole(library, { ...body, estimate: true });

/** Whether what was opened by estimates is measured by now: asked once a second, once for all who wait for it. */
const measured = (library: string, opened: Opened | undefined, body: ToOpen) =>
  queryOptions({
    queryKey: ["measured", opened?.digest],
    enabled: !!opened?.estimated,
    refetchInterval: (query) => (query.state.data?.estimated === false ? false : AGAIN_MS),
    retry: (_, error) => early(error),
    retryDelay: AGAIN_MS,
    gcTime: 0,
    queryFn: () => openSoon(library, body),
  });

/** Keep what a question gave up to date: once what it opened is measured, ``put`` says what its answer is then. */
export function useMeasured<T>(
  key: readonly unknown[],
  opened: Opened | undefined,
  library: string,
  body: ToOpen,
  put: (old: T, opened: Opened) => T,
) {
  const now = useQuery(measured(library, opened, body)).data;
  // biome-ignore lint/correctness/useExhaustiveDependencies: only that it is measured is a reason
  useEffect(() => {
    if (opened?.estimated && now && !now.estimated) queries.setQueryData<T>(key, (old) => old && put(old, now));
  }, [now?.digest, opened?.digest]);
}

/** What is opened to be heard: a node, one the server was told of by its name, or a sound through what it is auditioned through. */
interface Wanted {
  node?: Node;
  told?: string;
  sound?: number;
  through?: Through | null;
}

const asked = (what: Wanted): ToOpen => ({
  node: what.node ?? null,
  told: what.told ?? "",
  sound: what.sound ?? null,
  chain: what.through?.chain ?? [],
});

/** How loud something opened is (LUFS); null where it is silent. It is rendered whole for that, once, and the strip says so while it lasts. */
export async function loudnessOf(heard: Heard): Promise<number | null> {
  if (heard.lufs != null) return heard.lufs;
  const waiting = { title: heard.title };
  useListening.setState({ waiting });
  try {
    return (await got(api.GET("/api/heard/{digest}/loudness", { params: { path: { digest: heard.opened.digest } } }))).lufs;
  } finally {
    if (useListening.getState().waiting === waiting) useListening.setState({ waiting: null });
  }
}

/** The newest wish to hear something. */
let wish = 0;

/** Open something to listen to; null when a newer wish overtook it. While a step needs the whole sound the last one goes on playing. */
export async function openToHear(...what: Parameters<typeof openToKeep>): Promise<Heard | null> {
  const mine = wish + 1;
  try {
    const found = await openToKeep(...what);
    if (found.opened.estimated) follow(found, what[1], what[0]);
    return mine === wish ? found : null;
  } catch {
    return null;
  }
}

/** What is heard by estimates goes on as measured once that is done; it is followed for as long as it is heard. */
function follow(heard: Heard, library: string, what: Wanted) {
  const observer = new QueryObserver(queries, measured(library, heard.opened, asked(what)));
  // not at once: it has not begun to be heard
  setTimeout(() => {
    let leave = () => {};
    const look = ({ data, error }: { data?: Opened; error: Error | null }) => {
      const now = useListening.getState().heard;
      const mine = now?.opened.digest === heard.opened.digest;
      if (mine && !error && (!data || data.estimated)) return;
      leave();
      if (mine && error) complain(error);
      else if (mine && data) void player.swap({ ...now, opened: data });
    };
    leave = observer.subscribe(look);
    // who else waits for it may have its answer already
    look(observer.getCurrentResult());
  }, AGAIN_MS);
}

let warned = "";
/** What was last said to be still on its way. */
let onItsWay = "";

/** What could not be done of the steps that are heard is told, once for every change of it. */
function warn(sentences: string[]) {
  const told = sentences.join(" ");
  if (told && told !== warned) tell(`Passed over: ${told}`, true);
  warned = told;
}

/** As ``openToHear``, for what is remembered by its question: the answer is given whatever was wished since. */
export async function openToKeep(
  what: Wanted,
  library: string,
  title: string,
  more: { lufs?: number | null; matchDb?: number } = {},
): Promise<Heard> {
  wish += 1;
  const mine = wish;
  useListening.setState({ waiting: { title, node: what.node, chain: what.through?.chain } });
  try {
    const opened = await openSoon(library, asked(what));
    if (mine === wish) warn(opened.passed_over ?? []);
    return { opened, title, sound: what.sound, through: what.through ?? null, lufs: more.lufs ?? null, matchDb: more.matchDb ?? 0 };
  } catch (error) {
    // what was told and is known no more is told again by whoever asks
    const again = what.told !== undefined && error instanceof Refused && error.status === 404;
    // what is rendered behind is asked for again and again: said once
    const said = early(error) && onItsWay === title;
    onItsWay = early(error) ? title : "";
    if (mine === wish && !again && !said) complain(error);
    throw error;
  } finally {
    if (mine === wish) useListening.setState({ waiting: null });
  }
}
