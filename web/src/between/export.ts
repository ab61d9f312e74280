/** Sounds and designs written to a folder, and what became of it. */
import { create } from "zustand";
import { api, got, type Schemas, type Target } from "../api/client";
import { type ResultOf, whenDone } from "../session/jobs";
import { useShared } from "../session/store";
import { complain, tell } from "../ui/messages";
import { DRY, type HeardSo, saidSo } from "./heard";

export type Exported = ResultOf<"export">;

/** An export some of whose files failed: what is shown until it is closed. */
export const useExported = create<{ result: Exported | null; said: string; folder: string; target: Target | null; heard: HeardSo }>(() => ({
  result: null,
  said: "",
  folder: "",
  target: null,
  heard: DRY,
}));

/** What is written: sounds of the library, all that a search finds, or designs. */
export interface Exporting {
  ids?: number[];
  all_of?: Schemas["SoundQuery"] | null;
  designs?: number[];
}

/** Write sounds, as they are heard, or designs to a folder; the hand-over folder when none is given. */
export async function exportFiles(what: Exporting, folder = "", target: Target | null = null, heard: HeardSo = DRY): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(
      api.POST("/api/lib/{library}/export", {
        params: { path: { library } },
        body: { ids: [], all_of: null, designs: [], ...what, folder, ...(target && { target }), heard },
      }),
    );
    const { result } = await whenDone(started.job, "export");
    if (!result) return;
    const written = `${result.files.length} ${result.files.length === 1 ? "file" : "files"} written to ${result.folder} and read back${saidSo(heard)}`;
    const lowered = result.said.length ? ` ${result.said[0]}${result.said.length > 1 ? ` (and ${result.said.length - 1} more)` : ""}.` : "";
    const said = `${written}.${lowered}`;
    if (!result.failed.length) tell(said);
    else if (what.designs?.length) tell(result.failed[0].reason, true);
    else useExported.setState({ result, said, folder, target, heard });
  } catch (error) {
    complain(error);
  }
}
