/** Playing by keys and pads: which letters are keys, and what is struck on them or on a MIDI pad. */
import { useEffect, useRef, useState } from "react";
import { listenToMidi } from "./pads";

export const ROWS = ["QWERTYUIOP", "ASDFGHJKL", "ZXCVBNM"] as const;
export const LETTERS = ROWS.join("");

/** How hard a key is struck with Shift. */
export const SOFT = 0.5;
/** MIDI notes from here on play the keys in order; common practice for pads, no source. */
const FIRST_NOTE = 36;

/** Letters and MIDI notes strike keys, counted from 0, while this is shown; ``moved`` is told a controller's value (0 to 1). What MIDI there is. */
export function useStruck(struck: (key: number, velocity: number) => void, moved?: (value: number) => void): string {
  const [midi, setMidi] = useState("");
  const latest = useRef({ struck, moved });
  latest.current = { struck, moved };
  useEffect(() => {
    const down = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey || event.repeat) return;
      if ((event.target as HTMLElement | null)?.closest("input, textarea, select")) return;
      const key = event.code.startsWith("Key") ? LETTERS.indexOf(event.code.slice(3)) : -1;
      if (key < 0) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      latest.current.struck(key, event.shiftKey ? SOFT : 1);
    };
    window.addEventListener("keydown", down, true);
    let gone = false;
    let stop = () => {};
    void listenToMidi(
      (note, velocity) => latest.current.struck((((note - FIRST_NOTE) % LETTERS.length) + LETTERS.length) % LETTERS.length, velocity),
      (value) => latest.current.moved?.(value),
    ).then((told) => {
      stop = told.stop;
      if (gone) stop();
      else setMidi(told.names.length ? `MIDI: ${told.names.join(", ")}` : told.why);
    });
    return () => {
      gone = true;
      window.removeEventListener("keydown", down, true);
      stop();
    };
  }, []);
  return midi;
}
