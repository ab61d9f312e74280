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
    const enter = (target: EventTarget | null, byMouse: boolean) => {
      if (!(target instanceof Element) || held?.element.contains(target)) return;
      leave();
      const element = target.closest("[title]");
      const text = element?.getAttribute("title");
      if (!element || !text) return;
      // the browser's own would stand beside it; at the focus it shows none, and whoever listens to the page is told the title
      if (byMouse) element.removeAttribute("title");
      const mine = { element, text };
      held = mine;
      const wait = performance.now() - last < STILL_MS ? FAST_MS : WAIT_MS;
      timer = window.setTimeout(() => held === mine && setHint({ text, rect: element.getBoundingClientRect() }), wait);
    };
    const listening = new AbortController();
    const { signal } = listening;
    document.addEventListener("pointerover", (event) => event.pointerType !== "touch" && enter(event.target, true), { signal });
    document.addEventListener("focusin", ({ target }) => target instanceof Element && target.matches(":focus-visible") && enter(target, false), {
      signal,
    });
    document.addEventListener("pointerleave", leave, { signal });
    document.addEventListener("focusout", leave, { signal });
    document.addEventListener("pointerdown", leave, { signal, capture: true });
    document.addEventListener("scroll", leave, { signal, capture: true });
    document.addEventListener("keydown", (event) => event.key === "Escape" && leave(), { signal, capture: true });
    return () => {
      leave();
      listening.abort();
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
