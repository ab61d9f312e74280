import { Box, chakra, createTreeCollection, Flex, Menu, Portal, TreeView } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type DragEvent, type KeyboardEvent, type MouseEvent, useEffect, useMemo, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { NameInput } from "../../ui/fields";
import { complain, tell } from "../../ui/messages";
import { edit, stale, undo } from "./describing";
import { droppedRows, useDragging } from "./dragging";
import { type Asked, ask, toggleFacet } from "./sounds";

const CATEGORY = "application/x-oskren-category";
const OPENS_MS = 600;

interface Branch {
  path: string;
  children: Branch[];
}

/** The paths as a tree; what stands alone has no branches. */
function grown(paths: string[]): Branch {
  const root: Branch = { path: "", children: [] };
  const known = new Map([["", root]]);
  for (const path of paths) {
    const parts = path.split("/");
    for (let depth = 1; depth <= parts.length; depth++) {
      const here = parts.slice(0, depth).join("/");
      if (known.has(here)) continue;
      const branch = { path: here, children: [] };
      known.set(here, branch);
      known.get(parts.slice(0, depth - 1).join("/"))?.children.push(branch);
    }
  }
  return root;
}

/** What can be done to one category, asked for by the right button, the menu key, or the dots beside it. */
const ACTS = [
  ["rename", "Rename …"],
  ["add", "Add a category in it …"],
  ["move", "Move it to …"],
  ["remove", "Delete it …"],
] as const;

type Doing = { path: string; what: (typeof ACTS)[number][0] | "new" };

/** The tree of categories: filters, takes dropped rows, and is edited where it is shown. */
export function Tree({ counts, asked }: { counts: Record<string, number>; asked: Asked }) {
  const library = useShared((state) => state.library);
  const [editing, setEditing] = useState(false);
  const [open, setOpen] = useState<string[]>([]);
  const [over, setOver] = useState("");
  const [doing, setDoing] = useState<Doing | null>(null);
  /** The category the menu is of. */
  const [asking, setAsking] = useState("");
  const wanted = useRef<Doing | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const dragging = useDragging();
  // a category that is dragged over for a while shows what is in it
  useEffect(() => {
    if (!over) return;
    const wait = setTimeout(() => setOpen((now) => (now.includes(over) ? now : [...now, over])), OPENS_MS);
    return () => clearTimeout(wait);
  }, [over]);
  const tree = useQuery({
    queryKey: ["categories", library],
    queryFn: () => got(api.GET("/api/lib/{library}/categories", { params: { path: { library } } })),
  });
  const paths = (tree.data ?? []).map((one) => one.path);
  const counted = (path: string) =>
    Object.entries(counts).reduce((sum, [one, count]) => sum + (one === path || one.startsWith(`${path}/`) ? count : 0), 0);
  const run = async (work: Promise<unknown>, said?: (result: { count: number }) => string) => {
    try {
      const result = await work;
      stale();
      if (said) tell(said(result as { count: number }), false, undo);
    } catch (error) {
      stale();
      complain(error);
    }
  };
  const move = (path: string, to: string) =>
    path !== to &&
    void run(got(api.POST("/api/lib/{library}/categories/move", { params: { path: { library } }, body: { path, to } })), (result) =>
      paths.includes(to)
        ? `${path} is one with ${to} now; ${result.count} sounds went along.`
        : `${path} is ${to} now; ${result.count} sounds went along.`,
    );
  const create = (path: string) =>
    void run(got(api.PUT("/api/lib/{library}/categories", { params: { path: { library } }, body: { path, code: "", words: [] } })));
  const remove = (path: string, instead: string) =>
    void run(
      got(api.POST("/api/lib/{library}/categories/remove", { params: { path: { library } }, body: { path, instead } })),
      (result) => `${path} is deleted; ${result.count} sounds ${instead ? `are filed in ${instead}` : "have no category now"}.`,
    );
  const load = async (list: FileList | null) => {
    const csv = await list?.[0]?.text();
    if (csv !== undefined)
      await run(
        got(api.POST("/api/lib/{library}/categories.csv", { params: { path: { library } }, body: { csv, replace: false } })),
        (result) => `${result.count} categories read.`,
      );
  };
  const dropped = (event: DragEvent, path: string) => {
    setOver("");
    const rows = droppedRows(event.dataTransfer);
    const category = event.dataTransfer.getData(CATEGORY);
    if (!rows && !category) return;
    event.preventDefault();
    event.stopPropagation();
    if (rows) void edit({ category: path }, rows);
    else if (category) move(category, path ? `${path}/${category.split("/").pop()}` : (category.split("/").pop() ?? category));
  };
  const target = (path: string) => ({
    onDragOver: (event: DragEvent) => {
      event.preventDefault();
      setOver(path);
    },
    onDragLeave: () => setOver(""),
    onDrop: (event: DragEvent) => dropped(event, path),
  });
  const held = paths.filter((path) => editing || dragging || counted(path) > 0 || asked.facets.category?.includes(path)).join("\n");
  const shown = useMemo(
    () =>
      createTreeCollection<Branch>({
        rootNode: grown(held ? held.split("\n") : []),
        nodeToValue: (one) => one.path,
        nodeToString: (one) => one.path,
      }),
    [held],
  );
  const chosen = asked.facets.category ?? [];
  const done = () => setDoing(null);
  const name = (path: string, add: boolean) => (
    <NameInput
      label={add ? "Name of the new category" : `New name of ${path}`}
      defaultValue={add ? "" : path.split("/").pop()}
      py="1px"
      w="100%"
      onLeave={done}
      onNamed={(text) => {
        if (add) {
          setOpen((now) => [...now, path]);
          create(path ? `${path}/${text}` : text);
        } else move(path, [...path.split("/").slice(0, -1), ...text.split("/")].join("/"));
      }}
    />
  );
  /** Where something of a category goes: the others, none of them in it. */
  const others = (path: string) => paths.filter((one) => one !== path && !one.startsWith(`${path}/`)).map((one) => [one, one] as const);
  const asks = (path: string) => {
    if (doing?.path !== path) return null;
    if (doing.what === "add") return name(path, true);
    if (doing.what === "remove")
      return (
        <Choose
          label={`Where the sounds of ${path} go`}
          value=""
          w="100%"
          defaultOpen
          options={[["", "Its sounds go to …"], ["-", "no category"], ...others(path), ["x", "do not delete it"]]}
          onChange={(to) => {
            done();
            if (to && to !== "x") remove(path, to === "-" ? "" : to);
          }}
        />
      );
    if (doing.what === "move")
      return (
        <Choose
          label={`Where ${path} goes`}
          value=""
          w="100%"
          defaultOpen
          options={[["", "It goes into …"], ["-", "the top"], ...others(path), ["x", "do not move it"]]}
          onChange={(to) => {
            done();
            const own = path.split("/").pop() ?? path;
            if (to && to !== "x") move(path, to === "-" ? own : `${to}/${own}`);
          }}
        />
      );
    return null;
  };
  const row = (path: string, on: boolean, branch: boolean) =>
    doing?.path === path && doing.what === "rename" ? (
      name(path, false)
    ) : (
      <>
        {branch ? (
          <TreeView.BranchTrigger aria-hidden data-opens={path}>
            {open.includes(path) ? "−" : "+"}
          </TreeView.BranchTrigger>
        ) : (
          <Box w="14px" flexShrink={0} />
        )}
        <Box
          flex={1}
          minW={0}
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          color={on ? "amber" : path.includes("/") ? "dim" : "chalk"}
        >
          {path.split("/").pop()}
        </Box>
        {editing ? (
          // by keys the menu key does it
          <Box
            aria-hidden
            data-acts={path}
            color="dim"
            px="4px"
            _hover={{ color: "amber" }}
            title="Rename, add, move or delete; the right button does so too"
            onClick={(event: MouseEvent) => {
              event.stopPropagation();
              const { clientX, clientY, currentTarget } = event;
              currentTarget.dispatchEvent(new window.MouseEvent("contextmenu", { bubbles: true, cancelable: true, clientX, clientY }));
            }}
          >
            …
          </Box>
        ) : (
          <Box fontFamily="mono" fontSize="11px" color="dim" pr="4px">
            {counted(path)}
          </Box>
        )}
      </>
    );
  const filing = (path: string, on: boolean) => ({
    title: editing ? "Drag to move it" : `${path}: drop rows here to file them`,
    borderRadius: "6px",
    bg: over === path ? "amberSoft" : on ? "raised" : undefined,
    outline: over === path ? "1px solid" : undefined,
    outlineColor: "amber",
    draggable: editing,
    onDragStart: (event: DragEvent) => event.dataTransfer.setData(CATEGORY, path),
    // like every other filter: pressed again it narrows no more
    onClickCapture: (event: MouseEvent) => {
      if ((event.target as Element).closest("[data-opens], [data-acts], input")) return;
      event.stopPropagation();
      toggleFacet("category", path);
    },
    onKeyDownCapture: (event: KeyboardEvent) => {
      if ((event.key !== "Enter" && event.key !== " ") || event.target instanceof HTMLInputElement) return;
      event.stopPropagation();
      event.preventDefault();
      toggleFacet("category", path);
    },
    ...target(path),
  });
  return (
    <Box>
      <Flex justify="space-between" align="center" mb="2px">
        <chakra.h2 color="dim" fontSize="12px">
          Category
        </chakra.h2>
        <Box flex={1} />
        <Do
          quiet
          hint="Proposals less than 60 % sure: choose all (Ctrl A), confirm (Z) or refile"
          onClick={() => ask({ q: "where sure under 60" })}
          fontSize="11px"
        >
          Unsure
        </Do>
        <Do
          quiet
          on={editing}
          onClick={() => setEditing(!editing)}
          hint="Show all categories; add, rename, move, merge and delete them"
          fontSize="11px"
        >
          {editing ? "Done" : "Edit"}
        </Do>
      </Flex>
      <Menu.Root
        lazyMount
        unmountOnExit
        onSelect={({ value }) => {
          wanted.current = { path: asking, what: value as Doing["what"] };
        }}
        // not before: the menu holds the focus until it is gone, and a line that loses it is left
        onExitComplete={() => {
          if (wanted.current) setDoing(wanted.current);
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
            <TreeView.Root
              collection={shown}
              selectionMode="multiple"
              selectedValue={chosen}
              expandedValue={open}
              expandOnClick={false}
              typeahead={false}
              onExpandedChange={(now) => setOpen(now.expandedValue)}
            >
              <TreeView.Tree aria-label="Categories">
                <TreeView.Node<Branch>
                  render={({ node, nodeState }) => (
                    <Box>
                      {nodeState.isBranch ? (
                        <TreeView.BranchControl {...filing(node.path, nodeState.selected)}>
                          {row(node.path, nodeState.selected, true)}
                        </TreeView.BranchControl>
                      ) : (
                        <TreeView.Item {...filing(node.path, nodeState.selected)}>{row(node.path, nodeState.selected, false)}</TreeView.Item>
                      )}
                      {asks(node.path)}
                    </Box>
                  )}
                />
              </TreeView.Tree>
            </TreeView.Root>
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
      {(counts[""] ?? 0) > 0 && (
        <Bare
          aria-pressed={chosen.includes("")}
          onClick={() => toggleFacet("category", "")}
          display="flex"
          justifyContent="space-between"
          w="100%"
          pl="14px"
          pr="4px"
          py="2px"
          color={chosen.includes("") ? "amber" : "dim"}
          {...target("")}
        >
          None yet
          <Box fontFamily="mono" fontSize="11px">
            {counts[""]}
          </Box>
        </Bare>
      )}
      {editing && (
        <Flex gap="4px" wrap="wrap" mt="4px" {...target("")}>
          {doing?.what === "new" ? name("", true) : <Do onClick={() => setDoing({ path: "", what: "new" })}>New category</Do>}
          <Do quiet onClick={() => file.current?.click()} hint="Read categories from a CSV table">
            Read CSV
          </Do>
          <Do quiet onClick={() => window.location.assign(`/api/lib/${library}/categories.csv`)} hint="Write the tree as CSV">
            Write CSV
          </Do>
          <chakra.input
            ref={file}
            type="file"
            accept=".csv,.tsv,.txt"
            display="none"
            aria-label="Table of categories"
            onChange={(event) => void load(event.target.files)}
          />
        </Flex>
      )}
    </Box>
  );
}
