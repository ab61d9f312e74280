/** Controls that fold out from a button, beside what they act on. */
import { Button, Popover, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";

export function Fold({ label, hint, children }: { label: string; hint: string; children: ReactNode }) {
  return (
    <Popover.Root positioning={{ placement: "bottom-start" }} lazyMount>
      <Popover.Trigger asChild>
        <Button type="button" variant="ghost" size="xs" title={hint}>
          {label} ▾
        </Button>
      </Popover.Trigger>
      {/* over all panes: none of them cuts it off */}
      <Portal>
        <Popover.Positioner>
          <Popover.Content aria-label={label}>
            <Popover.Body display="flex" flexDirection="column" gap="8px">
              {children}
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
