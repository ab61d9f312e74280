/** Rows dragged: onto sets and categories, and out of the browser as files. */
import { useEffect, useState } from "react";
import { heardSo, isDry } from "../../between/heard";
import { useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { useGather } from "./sounds";

/** What is dragged out of the table: its rows for the rest of the app, and a file for the desktop. */
export const ROWS = "application/x-oskren-sounds";

export function dragged(transfer: DataTransfer, ids: number[], name: string, part: [number, number] | null) {
  const { library } = useShared.getState();
  const { heard } = useListening.getState();
  transfer.effectAllowed = "copyMove";
  transfer.setData(ROWS, JSON.stringify(ids));
  // a part belongs to the sound that is heard; chain, speed and gain to all that are auditioned through them
  const so = heardSo(part && heard?.sound === ids[0] ? part : null);
  const query = isDry(so) ? "" : `heard=${encodeURIComponent(JSON.stringify(so))}`;
  const here = `${window.location.origin}/api/lib/${encodeURIComponent(library)}`;
  const many = ids.length > 1;
  // a browser lets one file be dragged out: several sounds go in one, each under its own name
  const address = many
    ? `${here}/files.zip?ids=${ids.join(",")}${query ? `&${query}` : ""}`
    : `${here}/sounds/${ids[0]}/file${query ? `?${query}` : ""}`;
  const file = many ? `${ids.length} sounds.zip` : `${name.replace(/[:/\\]/g, "_")}.wav`;
  transfer.setData("DownloadURL", `${many ? "application/zip" : "audio/wav"}:${file}:${address}`);
  transfer.setData("text/uri-list", address);
}

export function droppedRows(transfer: DataTransfer): number[] | null {
  const text = transfer.getData(ROWS);
  return text ? JSON.parse(text) : null;
}

/** Whether rows are being dragged just now. */
export function useDragging(): boolean {
  const [dragging, setDragging] = useState(false);
  useEffect(() => {
    // what is dragged must have left before anything moves: else the browser takes the drag for ended
    const begin = (event: DragEvent) => event.dataTransfer?.types.includes(ROWS) && setTimeout(() => setDragging(true));
    const end = () => setDragging(false);
    window.addEventListener("dragstart", begin);
    window.addEventListener("dragend", end);
    window.addEventListener("drop", end);
    return () => {
      window.removeEventListener("dragstart", begin);
      window.removeEventListener("dragend", end);
      window.removeEventListener("drop", end);
    };
  }, []);
  return dragging;
}

/** Rows that a drag of one row takes along: all chosen ones when it is among them. */
export function dragAlong(id: number): number[] {
  const { chosen } = useGather.getState();
  return chosen.includes(id) ? chosen : [id];
}
