/** The one key map: every key has one meaning in all stages. docs/keys.md is the same list. */
import { useLayoutEffect, useRef } from "react";

export const KEYS = {
  play: ["Space", "Play or stop"],
  loop: ["l", "Loop the marked part on or off"],
  bypass: ["b", "Before or after, at matched loudness; a shipped file as written or as meant"],
  removed: ["h", "Hear what was removed"],
  next: ["ArrowDown", "Next row, heard at once (Shift chooses it too)"],
  previous: ["ArrowUp", "Row before, heard at once (Shift chooses it too)"],
  right: ["ArrowRight", "Nudge later: layer, slice, anchor, cue (Shift ten times as far; Alt by a frame, Alt and Shift what is inside, for layers)"],
  left: ["ArrowLeft", "Nudge earlier: layer, slice, anchor, cue (Shift ten times as far; Alt by a frame, Alt and Shift what is inside, for layers)"],
  keep: ["k", "Keep: a variation, the marked part as an excerpt, the take being recorded"],
  drop: ["x", "Drop, or take back"],
  nextUnheard: ["n", "Next unheard variation"],
  rate: ["1 to 5, 0", "Rate, 0 clears; in a scene: drop a sound of the search the key is bound to"],
  anchor: ["t", "Set the anchor at the playhead, or mark a moment: of the take, a cue of the film, a tap"],
  trimStart: ["[", "Start at the playhead: trim, or begin a part"],
  trimEnd: ["]", "End at the playhead: trim, or end a part"],
  octaveDown: ["-", "An octave down"],
  octaveUp: ["=", "An octave up"],
  semitoneDown: [",", "A semitone down"],
  semitoneUp: [".", "A semitone up"],
  reverse: ["v", "Reverse the layer"],
  mute: ["m", "Mute the layer"],
  solo: ["o", "Solo the layer (listening only)"],
  split: ["s", "Split at the playhead"],
  merge: ["g", "Merge with the next"],
  finished: ["f", "Hear it finished or raw"],
  playThrough: ["p", "Play one after the other: slices, kept variations"],
  draw: ["d", "Draw variations: of a design, or copies of a sound"],
  addStep: ["a", "Add a step"],
  toLayer: ["y", "Take what is heard into a layer, or place it on the frame at the playhead"],
  toMend: ["e", "Open in Mend"],
  toSlice: ["c", "Open in Slice"],
  toShip: ["j", "Put on the sheet of Ship"],
  alike: ["q", "More like this one"],
  confirm: ["z", "Confirm the proposed category"],
  handOver: ["w", "Write to the hand-over folder, or hand the scene over"],
  chooseAll: ["Ctrl+a", "Choose all rows found"],
  taller: [")", "Draw waveforms taller"],
  lower: ["(", "Draw waveforms lower"],
  inDb: ["|", "Draw waveforms straight or in dB"],
  dim: ["u", "Dim the listening"],
  importFiles: ["i", "Import"],
  record: ["r", "Record; while tapping in, a tap for the second list"],
  wanted: ["6", "Wanted list"],
  review: ["/", "Put what is chosen on a review reel"],
  maybe: ["7", "Perhaps keep the part that is heard"],
  noiseOnly: ["8", "The part that is heard is noise alone"],
  material: ["9", "The part that is heard is material, with the chain it is tried with"],
  skipSilence: [";", "Skip silence while listening"],
  longer: ["}", "A bed longer by a second"],
  shorter: ["{", "A bed shorter by a second"],
  faster: ["\\", "Listen at 1, 1.25, 1.5 or 2 times, pitch kept; a film at 1, 1/2, 1/3 or 1/4"],
  frameOn: ["Ctrl+ArrowRight", "One frame on"],
  frameBack: ["Ctrl+ArrowLeft", "One frame back"],
  nextCue: ["PageDown", "Next cue"],
  previousCue: ["PageUp", "Cue before"],
  name: ["F2", "Name what is chosen"],
  compare: ["'", "Compare: original, now and kept states in turn, or two variations"],
  reference: ["`", "Reference sound at matched loudness, or back"],
  toStrike: ["Home", "Bring the anchor to the strike line; in a scene to the frame at the playhead"],
  sources: ["Insert", "Other sources for the layer"],
  newer: ["F4", "Take the newer state of what this was made with"],
  lock: ["!", "Lock or unlock the chosen slices"],
  loopIt: ["&", "Find the best loop of the slice, or take its loop away"],
  seam: ["<", "Hear the seam of the loop"],
  bothEdges: [">", "Hear both edges of the slice"],
  roll: ["F8", "Roll another source for the chosen layers"],
  rollAll: ["F9", "Roll other sources for all unlocked layers"],
  group: ["Ctrl+g", "Group the chosen layers, or dissolve the group"],
  freeze: ["Ctrl+e", "Freeze the layer or group to audio, or thaw it"],
  version: ["Ctrl+s", "Keep a version"],
  layerUp: ["Ctrl+ArrowUp", "Move the layer up"],
  layerDown: ["Ctrl+ArrowDown", "Move the layer down"],
  printShift: ["Ctrl+Enter", "Print, shift the print (an octave up unless set otherwise) and layer it"],
  perform: ["Ctrl+Shift+p", "Perform on keys or pads"],
  undo: ["Ctrl+z", "Undo"],
  redo: ["Ctrl+Shift+z", "Redo"],
  duplicate: ["Ctrl+d", "Duplicate"],
  remove: ["Delete", "Remove, or put into the trash"],
  find: ["Ctrl+k", "Find anything"],
  commit: ["Enter", "Commit: the main button of the stage"],
  leave: ["Escape", "Leave, clear the mark"],
  list: ["?", "This list"],
} as const satisfies Record<string, readonly [string, string]>;

export type Act = keyof typeof KEYS;

/** Where each key is of use: in every stage, then stage by stage. */
export const SECTIONS = {
  "Every stage": [
    "play",
    "loop",
    "find",
    "list",
    "commit",
    "leave",
    "undo",
    "redo",
    "reference",
    "dim",
    "next",
    "previous",
    "chooseAll",
    "name",
    "wanted",
    "taller",
    "lower",
    "inDb",
  ],
  Gather: [
    ...(["importFiles", "record", "rate", "keep", "anchor", "trimStart", "trimEnd", "left", "right", "confirm", "alike", "review"] as const),
    ...(["toLayer", "toMend", "draw", "toSlice", "toShip", "handOver", "remove"] as const),
  ],
  Mend: [
    ...(["addStep", "bypass", "removed", "compare", "duplicate", "remove", "faster", "skipSilence", "keep", "maybe", "drop", "material"] as const),
    ...(["noiseOnly", "trimStart", "trimEnd", "left", "right", "toLayer", "toSlice", "toShip"] as const),
  ],
  Stack: [
    ...(["sources", "toStrike", "left", "right", "trimStart", "trimEnd", "anchor", "octaveUp", "octaveDown", "semitoneUp", "semitoneDown"] as const),
    ...(["reverse", "mute", "solo", "roll", "rollAll", "newer", "group", "freeze", "duplicate", "remove", "layerUp", "layerDown"] as const),
    ...(["version", "compare", "keep", "addStep", "perform", "printShift", "toShip"] as const),
  ],
  Vary: ["draw", "keep", "drop", "nextUnheard", "playThrough", "compare", "left", "right", "toShip"],
  Slice: [
    "split",
    "merge",
    "drop",
    "finished",
    "playThrough",
    "left",
    "right",
    "trimStart",
    "trimEnd",
    "lock",
    "loopIt",
    "seam",
    "bothEdges",
    "perform",
    "toLayer",
    "newer",
    "longer",
    "shorter",
  ],
  Ship: ["toShip", "bypass", "remove"],
  Picture: [
    ...([
      "frameOn",
      "frameBack",
      "nextCue",
      "previousCue",
      "anchor",
      "toLayer",
      "faster",
      "rate",
      "record",
      "left",
      "right",
      "toStrike",
      "trimStart",
    ] as const),
    ...([
      "trimEnd",
      "octaveUp",
      "octaveDown",
      "semitoneUp",
      "semitoneDown",
      "reverse",
      "mute",
      "solo",
      "group",
      "freeze",
      "roll",
      "sources",
    ] as const),
    ...(["longer", "shorter", "newer", "version", "compare", "duplicate", "remove", "handOver"] as const),
  ],
} as const satisfies Record<string, readonly Act[]>;

/** How a key is written beside its control. */
export function shown(act: Act): string {
  const names: Record<string, string> = {
    ArrowDown: "↓",
    ArrowUp: "↑",
    ArrowRight: "→",
    ArrowLeft: "←",
    Escape: "Esc",
    Delete: "Del",
    Insert: "Ins",
  };
  return KEYS[act][0]
    .split("+")
    .map((part) => names[part] ?? (part.length === 1 ? part.toUpperCase() : part))
    .join(" ");
}

function pressed(event: KeyboardEvent): string {
  const key = event.key === " " ? "Space" : event.key;
  const parts = [];
  if (event.ctrlKey || event.metaKey) parts.push("Ctrl");
  if (event.shiftKey && (event.ctrlKey || event.metaKey)) parts.push("Shift");
  parts.push(key.length === 1 ? key.toLowerCase() : key);
  return parts.join("+");
}

/** Whether keys belong to what is being typed in. */
function typing(target: EventTarget | null): boolean {
  const element = target as HTMLElement | null;
  const field = element?.closest(
    "input, textarea, select, [contenteditable=true], [data-scope=select][data-part=trigger], [data-scope=select][data-part=content]",
  );
  return !!field && !(field instanceof HTMLInputElement && ["checkbox", "radio", "button", "range", "color", "file"].includes(field.type));
}

/** Pressed by the mouse, a button, a link or a choice does not keep the keys: Space goes on playing, Enter goes on committing. */
function letGo(event: MouseEvent) {
  const held = document.activeElement;
  if (
    event.detail > 0 &&
    held instanceof HTMLElement &&
    held.matches("button, a, [role=radio], [role=tab], [role=option], input[type=checkbox], input[type=radio]")
  )
    held.blur();
}

export type Handlers = Partial<Record<Act, (event: KeyboardEvent) => void>>;

/** Who listens to keys, in the order they were shown; panels over a stage are asked first, then the last one shown. */
let listening: { current: Handlers; over: boolean }[] = [];

function handle(event: KeyboardEvent) {
  if (event.defaultPrevented) return;
  const name = pressed(event);
  if (typing(event.target) && !name.startsWith("Ctrl+k") && name !== "Escape") return;
  // on a focused button the space bar and Enter press it
  if (
    (name === "Space" || name === "Enter") &&
    (event.target as HTMLElement | null)?.closest("button, a, [role=option], input[type=checkbox], input[type=radio]")
  )
    return;
  const asked = [...listening].reverse();
  for (const { current } of [...asked.filter((one) => one.over), ...asked.filter((one) => !one.over)]) {
    for (const [act, run] of Object.entries(current) as [Act, ((event: KeyboardEvent) => void) | undefined][]) {
      if (!run) continue;
      if (act === "rate" ? !/^[0-5]$/.test(name) : KEYS[act][0] !== name) continue;
      event.preventDefault();
      run(event);
      return;
    }
  }
}

/**
 * Bind acts of the key map while the component is shown. What was shown last wins: a dialog over its stage. ``over`` is for panels that may be
 * shown together with their stage, and have the keys all the same.
 */
export function useKeys(handlers: Handlers, { on = true, over = false } = {}) {
  const held = useRef({ current: handlers, over });
  held.current.current = handlers;
  // before it is painted: a key pressed as soon as a panel is seen belongs to it
  useLayoutEffect(() => {
    if (!on) return;
    if (!listening.length) {
      window.addEventListener("keydown", handle);
      window.addEventListener("click", letGo);
    }
    const mine = held.current;
    listening = [...listening, mine];
    return () => {
      listening = listening.filter((one) => one !== mine);
      if (!listening.length) {
        window.removeEventListener("keydown", handle);
        window.removeEventListener("click", letGo);
      }
    };
  }, [on]);
}
