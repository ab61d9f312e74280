/** Backwards and faded: what the audition does to a sound behind the chain it is heard through. */
import type { SoundRow, Step } from "../api/client";
import { type Fade, isFaded } from "../canvas/fades";
import { openToHear } from "../listening/opening";
import { player } from "../listening/player";
import { type Edges, type Through, useListening } from "../listening/state";
import { freshStep } from "../mix/fresh";

/** A saved chain by its name. */
interface Saved {
  name: string;
  chain: Step[];
}

/** What is heard through a saved chain, or none, with the ends done to it; null when that is the sound as it is. */
function withEdges(saved: Saved | null, { reverse, fade }: Edges): Through | null {
  const chain = [...(saved?.chain ?? []), ...(reverse ? [freshStep("reverse", {}, "heard-backwards")] : [])];
  const said = [saved && `through ${saved.name}`, reverse && "backwards", isFaded(fade) && "faded"].filter(Boolean).join(", ");
  return said ? { name: saved?.name ?? said, chain, fade, said } : null;
}

/** Hear sounds through a saved chain, or none, and with these ends from now on; this one at once. */
export async function hearSo(row: SoundRow, library: string, saved: Saved | null, edges: Edges): Promise<void> {
  const through = withEdges(saved, edges);
  useListening.setState({ saved, edges, through });
  const { heard: before, waiting } = useListening.getState();
  const again = await openToHear({ sound: row.id, through }, library, row.name, { lufs: row.loudness });
  if (!again) return;
  if (before?.sound === row.id) await player.swap(again);
  // what was on its way to be heard is heard like this
  else if (waiting) await player.play(again, 0);
  else player.show(again);
}

/** Fade the ends of what is auditioned like this from now on. The player does it: nothing is rendered anew. */
export function fadeSo(fade: Fade) {
  const { saved, edges, heard } = useListening.getState();
  const through = withEdges(saved, { ...edges, fade });
  useListening.setState({ edges: { ...edges, fade }, through });
  // a sound that was opened elsewhere, without the chain, goes on as it was opened
  if (heard?.sound !== undefined && (heard.through?.chain.length ?? 0) === (through?.chain.length ?? 0)) void player.swap({ ...heard, through });
}
