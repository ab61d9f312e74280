import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type { paths };

export type Schemas = components["schemas"];
export type SoundRow = Schemas["SoundRow"];
export type SoundFacts = Schemas["SoundFacts"];
export type Job = Schemas["JobView"];
export type Step = Schemas["Step"];
export type StepView = Schemas["StepView"];
export type Control = Schemas["Control"];
export type Mix = Schemas["Mix"];
export type Member = Schemas["Member"];
export type Group = Schemas["Group"];
export type Envelope = Schemas["Envelope"];
export type Node = NonNullable<Schemas["ToOpen"]["node"]>;
export type Opened = Schemas["Opened"];
export type Plan = Schemas["Plan"];
export type Slice = Schemas["Slice"];
export type Target = Schemas["Target"];
export type Recipe = Schemas["Recipe"];
export type Freedom = Schemas["Freedom"];

/** This browser tab: undo belongs to who acted, and a tab is not told of what it did itself. */
export const PAGE = (() => {
  const fresh = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`;
  try {
    const known = sessionStorage.getItem("page");
    if (known) return known;
    sessionStorage.setItem("page", fresh);
  } catch {
    // without storage the tab is a new one after every reload
  }
  return fresh;
})();

export const api = createClient<paths>({
  baseUrl: "/",
  headers: { "X-Oskren-Page": PAGE },
  querySerializer: { array: { style: "form", explode: true } },
});

const AWAY = "Oskren's server does not answer; start it again and reload this page.";

/** A refusal of the server: one sentence for people. ``status`` is 0 when the server did not answer at all. */
export class Refused extends Error {
  constructor(
    sentence: string,
    readonly status = 422,
  ) {
    super(sentence);
  }
}

const EARLY = 425;
const AGAIN_MS = 2000;
const MOST_TIMES = 150;

/** Whether what was asked for is still being rendered. */
export const early = (error: unknown) => error instanceof Refused && error.status === EARLY;

/** For questions that are worth asking again while what they need is still being rendered. */
export const untilReady = {
  retry: (times: number, error: unknown) => times < MOST_TIMES && early(error),
  retryDelay: AGAIN_MS,
};

interface Answered<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or Refused with the server's sentence. */
export async function got<T>(answer: Promise<Answered<T>>): Promise<T> {
  let result: Answered<T>;
  try {
    result = await answer;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Refused(AWAY, 0);
  }
  if (result.data === undefined || !result.response.ok) {
    const sentence = (result.error as { sentence?: string } | undefined)?.sentence;
    throw new Refused(sentence ?? `The server answered ${result.response.status}.`, result.response.status);
  }
  return result.data;
}

/** Ask an address whose types are known where it is asked; Refused with the server's sentence. */
export async function asked<T>(method: string, address: string, body?: unknown, keepalive = false): Promise<T> {
  const headers = { "X-Oskren-Page": PAGE, ...(body === undefined ? {} : { "Content-Type": "application/json" }) };
  let response: Response;
  try {
    response = await fetch(address, { method, headers, keepalive, body: body === undefined ? undefined : JSON.stringify(body) });
  } catch {
    throw new Refused(AWAY, 0);
  }
  const found = (await response.json().catch(() => null)) as T & { sentence?: string };
  if (!response.ok) throw new Refused(found?.sentence ?? `The server answered ${response.status}.`, response.status);
  return found;
}

/** Raw bytes from an address of the API. */
export async function bytes(address: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  const response = await fetch(address, { signal });
  if (!response.ok) throw new Refused(((await response.json()) as { sentence: string }).sentence);
  return response.arrayBuffer();
}

/** Slow questions at once: a browser keeps six connections to a server, and saves must never wait for one. */
const SLOW = 2;
let asking = 0;
const turns = new Set<() => void>();

/** Ask something the server takes a while for, in its turn; a question that is no longer wanted gives its turn up. */
export async function slowly<T>(signal: AbortSignal, ask: () => Promise<T>): Promise<T> {
  if (asking >= SLOW)
    await new Promise<void>((resolve, reject) => {
      const turn = () => {
        signal.removeEventListener("abort", leave);
        resolve();
      };
      const leave = () => {
        turns.delete(turn);
        reject(signal.reason);
      };
      turns.add(turn);
      signal.addEventListener("abort", leave, { once: true });
    });
  asking += 1;
  try {
    signal.throwIfAborted();
    return await ask();
  } finally {
    asking -= 1;
    const [next] = turns;
    turns.delete(next);
    next?.();
  }
}
