/** A design as a document, and its mix as the document the layers are edited in. */
import { api, got, type Mix, type Schemas } from "../../api/client";
import { type History, useDocument } from "../../documents/useDocument";
import { queries, useShared } from "../../session/store";
import { about } from "./told";

export type Design = Schemas["DesignView"];

/** What is kept of a design. */
interface Named {
  name: string;
  mix: Mix;
}

/** The document of a design as that of its mix. */
function useMix(document: History<Named>): History<Mix> {
  const { now, change, accept } = document;
  const whole = (mix: Mix): Named => ({ ...(now() as Named), mix });
  return {
    ...document,
    doc: document.doc?.mix ?? null,
    now: () => now()?.mix ?? null,
    change: (mix, gesture) => change(whole(mix), gesture),
    accept: (mix, revision, gesture) => accept(whole(mix), revision, gesture),
  };
}

export function useDesign(design: Design) {
  const library = useShared((state) => state.library);
  const document = useDocument<Named>({
    what: "design",
    id: design.id,
    first: design as Named,
    revision: design.revision ?? 0,
    called: design.name,
    save: async (doc, based_on, init) => {
      const params = { path: { library, id: design.id }, query: { based_on } };
      const keep = (mix: Mix | { key: string }) =>
        got(api.PUT("/api/lib/{library}/designs/{id}", { params, body: { name: doc.name, mix }, ...init }));
      // a page that is being left has no time to ask twice
      const kept = await (init.keepalive ? keep(doc.mix) : about(doc.mix, (key) => keep({ key })));
      for (const key of ["designs", "stale"]) void queries.invalidateQueries({ queryKey: [key] });
      return { revision: kept.revision };
    },
    read: async () => {
      const kept = await got(api.GET("/api/lib/{library}/designs/{id}", { params: { path: { library, id: design.id } } }));
      return { doc: kept as Named, revision: kept.revision ?? 0 };
    },
  });
  const { name } = document.doc ?? design;
  const history = useMix(document);
  const mix = history.doc ?? (design.mix as Mix);
  const rename = (wanted: string) => {
    const now = document.now();
    if (wanted.trim() && now) document.change({ ...now, name: wanted.trim() });
  };
  return { name, history, mix, rename, saved: document.saved };
}
