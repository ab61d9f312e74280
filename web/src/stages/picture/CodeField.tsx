/** A frame of the scene, typed as time code. */
import { TextField } from "../../ui/fields";
import { tell } from "../../ui/messages";
import { codeOf, frameOf, type Scene } from "./frames";

interface Props {
  label: string;
  frame: number | null;
  scene: Scene;
  onFrame: (frame: number | null) => void;
  /** What stands there while there is none; it may be emptied then. */
  none?: string;
  /** How far behind the film it may lie (frames). */
  beyond?: number;
}

export function CodeField({ label, frame, scene, onFrame, none, beyond = 0 }: Props) {
  const commit = (text: string) => {
    if (none && !text.trim()) return onFrame(null);
    const found = frameOf(text, scene);
    if (found === null) return tell(`${text}: no time code; write minutes, seconds and frames, like 0:09:17, or a frame like 217f.`, true);
    if (found < 0 || found >= scene.frames + beyond)
      return tell(`${text} lies outside of the film, which goes from ${codeOf(0, scene)} to ${codeOf(scene.frames, scene)}.`, true);
    onFrame(found);
  };
  return <TextField named mono label={label} placeholder={none} value={frame === null ? "" : codeOf(frame, scene)} onCommit={commit} />;
}
