/** What is said to whoever sits there, one sentence at a time; what can be taken back offers that. */
import { createToaster } from "@chakra-ui/react";
import { Refused } from "../api/client";

const SAID_MS = 5_000;
const OFFERED_MS = 9_000;
const BAD_MS = 12_000;

export const toaster = createToaster({
  placement: "bottom",
  max: 1,
  overlap: false,
  removeDelay: 0,
  offsets: { bottom: "88px", top: "0px", left: "0px", right: "0px" },
});

/** The message that offers to take something back. */
let offering: string | undefined;

/** Say something; what went wrong stays longer, and ``undo`` is offered beside it. */
export function tell(text: string, bad = false, undo?: () => void) {
  toaster.remove();
  const id = toaster.create({
    description: text,
    type: bad ? "error" : "info",
    duration: bad ? BAD_MS : undo ? OFFERED_MS : SAID_MS,
    action: undo && { label: "Undo", onClick: undo },
  });
  offering = undo && id;
}

/** Something else was done since: what is offered would take that back. */
export function withdraw() {
  if (offering) toaster.remove(offering);
  offering = undefined;
}

/** Show what went wrong as one sentence. */
export function complain(error: unknown) {
  tell(error instanceof Refused ? error.message : `Something went wrong on this page (${String(error)}); reload it, nothing is lost.`, true);
}
