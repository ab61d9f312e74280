/** Less frequent acts, behind one button beside what they act on. */
import { Box, Button, Menu, Portal } from "@chakra-ui/react";

export interface MenuAct {
  key: string;
  label: string;
  hint?: string;
  onDo: () => void;
}

export function Acts({ label, acts, shown = "…" }: { label: string; acts: MenuAct[]; shown?: string }) {
  return (
    <Menu.Root positioning={{ placement: "bottom-start" }} lazyMount onSelect={({ value }) => acts.find((one) => one.key === value)?.onDo()}>
      <Menu.Trigger asChild>
        <Button type="button" variant="ghost" size="xs" aria-label={label} title={label}>
          {shown}
        </Button>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content aria-label={label}>
            {acts.map((one) => (
              <Menu.Item key={one.key} value={one.key}>
                <Box>
                  {one.label}
                  {one.hint && (
                    <Box color="dim" fontSize="11px">
                      {one.hint}
                    </Box>
                  )}
                </Box>
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
