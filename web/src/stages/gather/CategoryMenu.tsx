/** What is asked of one category: by a menu of the right button or the menu key, answered beside it. */
import { Box, Menu, Portal } from "@chakra-ui/react";
import { type MouseEvent, type ReactNode, useRef, useState } from "react";
import { Choose } from "../../ui/choices";
import { NameInput } from "../../ui/fields";
import type { useCategories } from "./categories";

const ACTS = [
  ["rename", "Rename …"],
  ["add", "Add a category in it …"],
  ["move", "Move it to …"],
  ["remove", "Delete it …"],
] as const;

export interface Doing {
  path: string;
  what: (typeof ACTS)[number][0] | "new";
}

/** Around the tree: its rows carry their path as ``data-value``. */
export function CategoryMenu({ onAsk, children }: { onAsk: (doing: Doing) => void; children: ReactNode }) {
  /** The category the menu is of. */
  const [asking, setAsking] = useState("");
  const wanted = useRef<Doing | null>(null);
  return (
    <Menu.Root
      lazyMount
      unmountOnExit
      onSelect={({ value }) => {
        wanted.current = { path: asking, what: value as Doing["what"] };
      }}
      // not before: the menu holds the focus until it is gone, and a line that loses it is left
      onExitComplete={() => {
        if (wanted.current) onAsk(wanted.current);
        wanted.current = null;
      }}
    >
      <Menu.ContextTrigger asChild>
        <Box
          onContextMenuCapture={(event: MouseEvent) => {
            const found = (event.target as Element).closest<HTMLElement>("[data-value]")?.dataset.value;
            if (found) setAsking(found);
            else event.stopPropagation();
          }}
        >
          {children}
        </Box>
      </Menu.ContextTrigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content aria-labelledby="acts-on-category">
            <Box id="acts-on-category" color="dim" fontSize="11px" px="9px" py="3px">
              Acts on {asking}
            </Box>
            {ACTS.map(([value, label]) => (
              <Menu.Item key={value} value={value}>
                {label}
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}

interface AskedProps {
  doing: Doing;
  categories: ReturnType<typeof useCategories>;
  onDone: () => void;
}

/** The line or the choice that an act on a category needs before it is done. */
export function CategoryAsked({ doing, categories, onDone }: AskedProps) {
  const { path, what } = doing;
  const { paths, move, create, remove } = categories;
  /** Where something of it goes: the others, none of them in it. */
  const others = paths.filter((one) => one !== path && !one.startsWith(`${path}/`)).map((one) => [one, one] as const);
  if (what === "rename")
    return (
      <NameInput
        label={`New name of ${path}`}
        defaultValue={path.split("/").pop()}
        py="1px"
        w="100%"
        onLeave={onDone}
        onNamed={(text) => move(path, [...path.split("/").slice(0, -1), ...text.split("/")].join("/"))}
      />
    );
  if (what === "add" || what === "new")
    return (
      <NameInput label="Name of the new category" py="1px" w="100%" onLeave={onDone} onNamed={(text) => create(path ? `${path}/${text}` : text)} />
    );
  const moves = what === "move";
  return (
    <Choose
      label={moves ? `Where ${path} goes` : `Where the sounds of ${path} go`}
      value=""
      w="100%"
      defaultOpen
      options={[
        ["", moves ? "It goes into …" : "Its sounds go to …"],
        ["-", moves ? "the top" : "no category"],
        ...others,
        ["x", moves ? "do not move it" : "do not delete it"],
      ]}
      onChange={(to) => {
        onDone();
        if (!to || to === "x") return;
        const own = path.split("/").pop() ?? path;
        if (moves) move(path, to === "-" ? own : `${to}/${own}`);
        else remove(path, to === "-" ? "" : to);
      }}
    />
  );
}
