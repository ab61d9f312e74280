/** Sounds written to a folder, and what became of it. */
import { create } from "zustand";
import { api, got, type Target } from "../../api/client";
import { DRY, type HeardSo, heardSo, saidSo } from "../../between/heard";
import { type ResultOf, whenDone } from "../../session/jobs";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { theseOrChosen } from "./describing";

export type Exported = ResultOf<"export">;

/** An export some of whose files failed: what is shown until it is closed. */
export const useExported = create<{ result: Exported | null; said: string; folder: string; target: Target | null; heard: HeardSo }>(() => ({
  result: null,
  said: "",
  folder: "",
  target: null,
  heard: DRY,
}));

/** Write sounds or a part of one, as they are heard, to a folder; the hand-over folder when none is given. */
export async function exportFiles(
  folder: string,
  ids?: number[],
  part: [number, number] | null = null,
  target: Target | null = null,
  heard: HeardSo = heardSo(part),
): Promise<void> {
  const { library } = useShared.getState();
  try {
    const started = await got(
      api.POST("/api/lib/{library}/export", {
        params: { path: { library } },
        body: { ...theseOrChosen(ids), folder, ...(target && { target }), heard },
      }),
    );
    const { result } = await whenDone(started.job, "export");
    if (!result) return;
    const written = `${result.files.length} ${result.files.length === 1 ? "file" : "files"} written to ${result.folder} and read back${saidSo(heard)}`;
    const lowered = result.said.length ? ` ${result.said[0]}${result.said.length > 1 ? ` (and ${result.said.length - 1} more)` : ""}.` : "";
    const said = `${written}.${lowered}`;
    if (result.failed.length) useExported.setState({ result, said, folder, target, heard });
    else tell(said);
  } catch (error) {
    complain(error);
  }
}
