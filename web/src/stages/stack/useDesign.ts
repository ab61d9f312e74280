/** A design as a document, and its mix as the document the layers are edited in. */
import type { Mix, Schemas } from "../../api/client";
import { about } from "../../bench/told";
import { type History, useDocument } from "../../documents/useDocument";
import { queries } from "../../session/store";

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
  const document = useDocument({
    kind: "design",
    id: design.id,
    first: { name: design.name, mix: design.mix },
    revision: design.revision,
    called: design.name,
    docOf: ({ name, mix }): Named => ({ name, mix }),
    bodyOf: (doc) => doc,
    // the mix was told for what is asked about it; a save names its digest
    shortOf: ({ name, mix }, keep) => about(mix, (digest) => keep({ name, mix: { digest } })),
    onShown: () => {
      for (const key of ["designs", "stale"]) void queries.invalidateQueries({ queryKey: [key] });
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
