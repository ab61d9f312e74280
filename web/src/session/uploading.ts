/** Files sent to the server: one by one, with progress; the page asks before it is left, and what had arrived is taken in all the same. */
import { create } from "zustand";
import { api, got, Refused, type Schemas } from "../api/client";
import { complain, tell } from "../ui/messages";
import { follow } from "./following";
import { useShared } from "./store";

interface Uploading {
  /** What is being sent, by how many bytes of how many; null when nothing is. */
  name: string;
  files: number;
  filesDone: number;
  bytes: number;
  bytesDone: number;
}

export const useUploading = create<{ now: Uploading | null }>(() => ({ now: null }));

const ask = (event: BeforeUnloadEvent) => event.preventDefault();
useUploading.subscribe(({ now }, { now: before }) => {
  if (now && !before) window.addEventListener("beforeunload", ask);
  if (!now && before) window.removeEventListener("beforeunload", ask);
});

let stopped = false;

/** End sending; what has arrived is taken in. */
export function stopUploading() {
  stopped = true;
}

function send(address: string, file: File, told: (bytes: number) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", address);
    request.upload.onprogress = (event) => told(event.loaded);
    request.onload = () => {
      if (request.status < 300) return resolve();
      let sentence = `The server answered ${request.status}.`;
      try {
        sentence = (JSON.parse(request.responseText) as { sentence: string }).sentence;
      } catch {
        // no sentence came with it
      }
      reject(new Refused(sentence, request.status));
    };
    request.onerror = () => reject(new Refused("Oskren's server does not answer; what had arrived is taken in when it is back.", 0));
    request.send(file);
  });
}

/** Send a video file and have it opened; the film's id. */
export async function sendFilm(file: File): Promise<Schemas["Started"]> {
  const { library } = useShared.getState();
  if (useUploading.getState().now) throw new Refused("Files are being sent already; choose the film when that has ended.", 0);
  useUploading.setState({ now: { name: file.name, files: 1, filesDone: 0, bytes: file.size, bytesDone: 0 } });
  try {
    const { upload: number } = await got(
      api.POST("/api/lib/{library}/uploads", { params: { path: { library } }, body: { library, name: file.name, files: 1 } }),
    );
    const address = `/api/lib/${encodeURIComponent(library)}/uploads/${number}/file?path=${encodeURIComponent(file.name)}`;
    await send(address, file, (loaded) => useUploading.setState(({ now }) => ({ now: now && { ...now, bytesDone: loaded } })));
    return await got(api.POST("/api/lib/{library}/films/sent/{upload}", { params: { path: { library, upload: number } } }));
  } finally {
    useUploading.setState({ now: null });
  }
}

/** Send files and import them. Their names may hold the folders they lie in. */
export async function upload(files: File[]): Promise<void> {
  const { library } = useShared.getState();
  if (!files.length) return tell("What was dropped holds no files: drop sounds, or a folder that has some.", true);
  if (useUploading.getState().now) return tell("Files are being sent already; drop these when that has ended.", true);
  const name = files.length === 1 ? files[0].name : `${files.length} dropped files`;
  const bytes = files.reduce((sum, file) => sum + file.size, 0);
  stopped = false;
  useUploading.setState({ now: { name, files: files.length, filesDone: 0, bytes, bytesDone: 0 } });
  try {
    const { upload: number } = await got(
      api.POST("/api/lib/{library}/uploads", { params: { path: { library } }, body: { library, name, files: files.length } }),
    );
    let done = 0;
    for (const [i, file] of files.entries()) {
      if (stopped) break;
      const address = `/api/lib/${encodeURIComponent(library)}/uploads/${number}/file?path=${encodeURIComponent(file.name)}`;
      await send(address, file, (loaded) => useUploading.setState(({ now }) => ({ now: now && { ...now, bytesDone: done + loaded } })));
      done += file.size;
      useUploading.setState(({ now }) => ({ now: now && { ...now, filesDone: i + 1, bytesDone: done } }));
    }
    await follow("upload", got(api.POST("/api/lib/{library}/uploads/{upload}/end", { params: { path: { library, upload: number } } })));
  } catch (error) {
    complain(error);
  } finally {
    useUploading.setState({ now: null });
  }
}
