/** The tabs of what is chosen of a mix. */
import { Tabs } from "@chakra-ui/react";
import type { ReactNode } from "react";

export type Tab = "layer" | "curves" | "source" | "tune";
const TABS: readonly [Tab, string][] = [
  ["layer", "Layer"],
  ["curves", "Curves"],
  ["source", "Source"],
  ["tune", "Tune"],
];

export function LayerTabs({ tab, onTab, children }: { tab: Tab; onTab: (tab: Tab) => void; children: ReactNode }) {
  return (
    <Tabs.Root value={tab} onValueChange={(next) => onTab(next.value as Tab)} lazyMount unmountOnExit>
      <Tabs.List>
        {TABS.map(([key, label]) => (
          <Tabs.Trigger key={key} value={key}>
            {label}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      {TABS.map(([key]) => (
        <Tabs.Content key={key} value={key}>
          {key === tab && children}
        </Tabs.Content>
      ))}
    </Tabs.Root>
  );
}
