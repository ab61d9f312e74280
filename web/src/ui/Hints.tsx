/** What a control says of itself and the key it has: one tooltip for all that have a ``title``, at the mouse and at the focus of keys. */
import { Portal, Tooltip } from "@chakra-ui/react";
import { useEffect, useState } from "react";

/** Until a hint is shown (ms); once one was, the next comes at once. Own values, no source. */
const WAIT_MS = 500;
const FAST_MS = 60;
const STILL_MS = 400;

interface Hint {
  text: string;
  rect: DOMRect;
}

export function Hints() {
  const [hint, setHint] = useState<Hint | null>(null);
  useEffect(() => {
    let held: { element: Element; text: string } | null = null;
    let timer = 0;
    let last = Number.NEGATIVE_INFINITY;
    const leave = () => {
      clearTimeout(timer);
      if (!held) return;
      // the page may have given it another one meanwhile
      if (!held.element.hasAttribute("title")) held.element.setAttribute("title", held.text);
      held = null;
      setHint((now) => {
        if (now) last = performance.now();
        return null;
      });
    };
    const enter = (target: EventTarget | null) => {
      if (!(target instanceof Element) || held?.element.contains(target)) return;
      leave();
      const element = target.closest("[title]");
      const text = element?.getAttribute("title");
      if (!element || !text) return;
      // the browser's own would stand beside it
      element.removeAttribute("title");
      const mine = { element, text };
      held = mine;
      const wait = performance.now() - last < STILL_MS ? FAST_MS : WAIT_MS;
      timer = window.setTimeout(() => held === mine && setHint({ text, rect: element.getBoundingClientRect() }), wait);
    };
    const over = (event: PointerEvent) => event.pointerType !== "touch" && enter(event.target);
    const focused = (event: FocusEvent) => event.target instanceof Element && event.target.matches(":focus-visible") && enter(event.target);
    const hidden = (event: KeyboardEvent) => event.key === "Escape" && leave();
    document.addEventListener("pointerover", over);
    document.addEventListener("pointerdown", leave, true);
    document.addEventListener("pointerleave", leave);
    document.addEventListener("focusin", focused);
    document.addEventListener("focusout", leave);
    document.addEventListener("scroll", leave, true);
    document.addEventListener("keydown", hidden, true);
    return () => {
      leave();
      document.removeEventListener("pointerover", over);
      document.removeEventListener("pointerdown", leave, true);
      document.removeEventListener("pointerleave", leave);
      document.removeEventListener("focusin", focused);
      document.removeEventListener("focusout", leave);
      document.removeEventListener("scroll", leave, true);
      document.removeEventListener("keydown", hidden, true);
    };
  }, []);
  if (!hint) return null;
  return (
    <Tooltip.Root
      key={`${hint.text} ${hint.rect.x} ${hint.rect.y}`}
      open
      positioning={{ placement: "bottom", strategy: "fixed", getAnchorRect: () => hint.rect }}
    >
      <Portal>
        <Tooltip.Positioner pointerEvents="none">
          <Tooltip.Content>{hint.text}</Tooltip.Content>
        </Tooltip.Positioner>
      </Portal>
    </Tooltip.Root>
  );
}
