/** Files that come in: out of a drop, and what became of an import. */
import type { DragEvent } from "react";
import { complain, tell } from "../ui/messages";
import { whenDone } from "./jobs";

/** Files and folders out of a drop, with their paths inside the folders. */
export async function dropped(event: DragEvent): Promise<File[]> {
  const entries = [...event.dataTransfer.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  // read before the first wait: afterwards the drop is gone
  const plain = [...event.dataTransfer.files];
  const files: File[] = [];
  const walk = async (entry: FileSystemEntry, path: string): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
      files.push(new File([file], path + file.name, { type: file.type }));
    } else {
      const reader = (entry as FileSystemDirectoryEntry).createReader();
      for (;;) {
        const batch = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
        if (!batch.length) break;
        for (const one of batch) await walk(one, `${path}${entry.name}/`);
      }
    }
  };
  for (const entry of entries) await walk(entry, "");
  return files.length ? files : plain;
}

/** What became of an import of files of this machine, or of files that were sent. */
export async function follow(kind: "import" | "upload", started: Promise<{ job: number }>) {
  try {
    const { result } = await whenDone((await started).job, kind);
    if (!result) return;
    const skipped = result.skipped.length ? `, ${result.skipped.length} skipped (the arrival on the left lists why)` : "";
    const formats = result.formats ? `, ${result.formats} another format of a sound here` : "";
    tell(`${result.imported} imported, ${result.already_there} already there${formats}${skipped}.`);
  } catch (error) {
    complain(error);
  }
}
