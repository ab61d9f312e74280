/** Panes beside or above each other, with edges that are dragged or moved by arrow keys, and stay where they were put. */
import { Splitter } from "@chakra-ui/react";
import { Fragment, type ReactNode, useState } from "react";
import { useBegun } from "./useBegun";

export interface Pane {
  id: string;
  /** What it is called where its edge is: "Filters" for "Width of Filters". */
  label: string;
  /** Pixels it takes until somebody moves its edge; the one pane without them takes what the others leave. */
  size?: number;
  /** Pixels it keeps at least. */
  least?: number;
  most?: number;
  holds: ReactNode;
}

interface Props {
  /** Sizes are remembered by it. */
  name: string;
  /** One above the other. */
  stacked?: boolean;
  panes: (Pane | false | null)[];
}

type Sizes = Record<string, number>;

const place = (name: string) => `panes ${name}`;

function remembered(name: string): Sizes {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(place(name)) ?? "{}");
    return found && typeof found === "object" ? (found as Sizes) : {};
  } catch {
    return {};
  }
}

export function Panes({ name, stacked, panes: all }: Props) {
  const panes = all.filter((one): one is Pane => !!one);
  // what somebody set is where the panes begin from then on: they are laid out anew whenever what is around them changes
  const [sizes, setSizes] = useState(() => remembered(name));
  const px = (pane: Pane) => (pane.size === undefined ? undefined : Math.max(pane.least ?? 0, sizes[pane.id] ?? pane.size));
  const keep = (root: HTMLElement | null) => {
    if (!root) return;
    const now = remembered(name);
    for (const pane of panes) {
      const element = root.querySelector<HTMLElement>(`:scope > [data-pane="${pane.id}"]`);
      if (pane.size !== undefined && element) now[pane.id] = Math.round(stacked ? element.offsetHeight : element.offsetWidth);
    }
    localStorage.setItem(place(name), JSON.stringify(now));
    setSizes(now);
  };
  const [root, setRoot] = useState<HTMLElement | null>(null);
  const beside = useBegun();
  return (
    <Splitter.Root
      ref={setRoot}
      orientation={stacked ? "vertical" : "horizontal"}
      flex={1}
      minH={0}
      minW={0}
      panels={panes.map((one) => ({
        id: one.id,
        minSize: one.least === undefined ? undefined : `${one.least}px`,
        maxSize: one.most === undefined ? undefined : `${one.most}px`,
        resizeBehavior: one.size === undefined ? ("preserve-relative-size" as const) : ("preserve-pixel-size" as const),
      }))}
      defaultSize={panes.map((one) => (one.size === undefined ? "auto" : `${px(one)}px`))}
      onResizeEnd={() => keep(root)}
    >
      {panes.map((one, index) => (
        <Fragment key={one.id}>
          {index > 0 && <Edge before={panes[index - 1]} after={one} stacked={stacked} />}
          <Splitter.Panel
            id={one.id}
            data-pane={one.id}
            display="flex"
            flexDirection="column"
            minW={0}
            minH={0}
            position="relative"
            css={{ "& > *": { minH: 0 } }}
          >
            {(beside || one.size === undefined) && one.holds}
          </Splitter.Panel>
        </Fragment>
      ))}
    </Splitter.Root>
  );
}

function Edge({ before, after, stacked }: { before: Pane; after: Pane; stacked?: boolean }) {
  const moved = after.size === undefined ? before : after;
  return (
    <Splitter.ResizeTrigger id={`${before.id}:${after.id}`} aria-label={`${stacked ? "Height" : "Width"} of ${moved.label}`}>
      <Splitter.ResizeTriggerSeparator />
    </Splitter.ResizeTrigger>
  );
}

/** A stage's work with its side at the right. */
export function Beside({ name, label, width, side, children }: { name: string; label: string; width: number; side: ReactNode; children: ReactNode }) {
  return (
    <Panes
      name={name}
      panes={[
        { id: "work", label: "the work", least: 420, holds: children },
        { id: "side", label, size: width, least: 220, most: 560, holds: side },
      ]}
    />
  );
}
