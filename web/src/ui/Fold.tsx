/** Controls that fold out from a button, beside what they act on. */
import { Button, Popover, Portal } from "@chakra-ui/react";
import type { ReactNode } from "react";

interface Props {
  label: string;
  hint: string;
  /** Over all panes, where the one it stands in would cut it off. */
  over?: boolean;
  children: ReactNode;
}

export function Fold({ label, hint, over, children }: Props) {
  const content = (
    <Popover.Positioner>
      <Popover.Content aria-label={label}>
        <Popover.Body display="flex" flexDirection="column" gap="8px">
          {children}
        </Popover.Body>
      </Popover.Content>
    </Popover.Positioner>
  );
  return (
    <Popover.Root positioning={{ placement: "bottom-start" }} lazyMount>
      <Popover.Trigger asChild>
        <Button type="button" variant="ghost" size="xs" title={hint}>
          {label} ▾
        </Button>
      </Popover.Trigger>
      {over ? <Portal>{content}</Portal> : content}
    </Popover.Root>
  );
}
