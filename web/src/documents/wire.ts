/** Documents as they cross the wire: read, and kept whole or as what changed since the revision that is kept. */
import { compare } from "fast-json-patch";
import { asked, type paths } from "../api/client";

/** Where each kind of document is served (oskren/api/documents/factory.py makes these routes). */
export const ADDRESS = {
  design: "/api/lib/{library}/designs/{id}",
  recipe: "/api/lib/{library}/designs/{id}/recipe-draft",
  reel: "/api/lib/{library}/reels/{id}",
  chain: "/api/lib/{library}/sounds/{id}/chain",
  spread: "/api/lib/{library}/spreads/{id}/judged",
  plan: "/api/lib/{library}/plans/{id}",
  sheet: "/api/lib/{library}/sheets/{id}",
  scene: "/api/lib/{library}/scenes/{id}",
} as const;

export type Kind = keyof typeof ADDRESS;
type Json<T> = T extends { content: { "application/json": infer Found } } ? Found : never;
type Routes<K extends Kind> = paths[(typeof ADDRESS)[K]];
/** What a page is shown of a document, what a save sends, and what it answers. */
export type Shown<K extends Kind> = Json<Routes<K>["get"]["responses"][200]>;
export type Body<K extends Kind> = Json<Routes<K>["put"]["requestBody"]>;
export type Answer<K extends Kind> = Json<Routes<K>["put"]["responses"][200]>;

export interface Which<K extends Kind> {
  kind: K;
  library: string;
  id: number;
}

function addressOf<K extends Kind>({ kind, library, id }: Which<K>, basedOn?: number): string {
  const address = ADDRESS[kind].replace("{library}", encodeURIComponent(library)).replace("{id}", String(id));
  return basedOn === undefined ? address : `${address}?based_on=${basedOn}`;
}

export const readDocument = <K extends Kind>(which: Which<K>): Promise<Shown<K>> => asked("GET", addressOf(which));

export const keepDocument = <K extends Kind>(which: Which<K>, body: Body<K>, basedOn?: number, keepalive = false): Promise<Answer<K>> =>
  asked("PUT", addressOf(which, basedOn), body, keepalive);

/** Keep a document by what changed since ``before``, its body at the revision ``basedOn``; whole where that is not much longer. */
export function keepChange<K extends Kind>(which: Which<K>, before: Body<K>, body: Body<K>, basedOn: number): Promise<Answer<K>> {
  const text = JSON.stringify(body);
  // as it crosses the wire: what is undefined is not there
  const patch = compare(JSON.parse(JSON.stringify(before)), JSON.parse(text));
  if (JSON.stringify(patch).length * 2 > text.length) return keepDocument(which, body, basedOn);
  return asked("PATCH", addressOf(which, basedOn), { patch });
}
