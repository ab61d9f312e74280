/** What is said to whoever sits there, one sentence at a time. */
import { create } from "zustand";
import { Refused } from "../api/client";

interface Message {
  text: string;
  bad: boolean;
}

export const useMessage = create<{ message: Message | null }>(() => ({ message: null }));

let fading: ReturnType<typeof setTimeout> | undefined;

/** Say something; what went wrong stays longer. */
export function tell(text: string, bad = false) {
  clearTimeout(fading);
  useMessage.setState({ message: { text, bad } });
  fading = setTimeout(() => useMessage.setState({ message: null }), bad ? 12_000 : 5_000);
}

/** Show what went wrong as one sentence. */
export function complain(error: unknown) {
  tell(error instanceof Refused ? error.message : `Something went wrong on this page (${String(error)}); reload it, nothing is lost.`, true);
}
