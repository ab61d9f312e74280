/** Backwards and faded: what the audition does to the ends of a sound, as steps behind the chain it is heard through. */
import type { Edges, Through } from "../listening/state";
import { freshStep } from "../mix/fresh";

/** What is heard through a saved chain, or none, with the ends done to it; null when that is the sound as it is. */
export function withEdges(saved: Through | null, edges: Edges): Through | null {
  const { reverse, ...fade } = edges;
  const faded = fade.in_s > 0 || fade.out_s > 0;
  const chain = [
    ...(saved?.chain ?? []),
    ...(reverse ? [freshStep("reverse", {}, "heard-backwards")] : []),
    ...(faded ? [freshStep("fade", fade, "heard-faded")] : []),
  ];
  if (!chain.length) return saved;
  const said = [saved && `through ${saved.name}`, reverse && "backwards", faded && "faded"].filter(Boolean).join(", ");
  return { name: saved?.name ?? said, chain, said };
}
