/** Less frequent acts, behind one button beside what they act on. */
import { Box, Button, Menu, Portal } from "@chakra-ui/react";
import { useRef } from "react";

export interface MenuAct {
  key: string;
  label: string;
  hint?: string;
  /** It opens a line to type in: that comes once the menu is gone and has given the focus back. */
  asks?: boolean;
  onDo: () => void;
}

export function Acts({ label, acts, shown = "…" }: { label: string; acts: MenuAct[]; shown?: string }) {
  const asking = useRef<MenuAct>(undefined);
  const select = (value: string) => {
    const act = acts.find((one) => one.key === value);
    if (act?.asks) asking.current = act;
    else act?.onDo();
  };
  const ask = () => {
    asking.current?.onDo();
    asking.current = undefined;
  };
  return (
    <Menu.Root positioning={{ placement: "bottom-start" }} lazyMount onSelect={({ value }) => select(value)} onExitComplete={ask}>
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
