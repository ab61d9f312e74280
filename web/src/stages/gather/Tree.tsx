import { Box, chakra, createTreeCollection, Flex, TreeView } from "@chakra-ui/react";
import { type DragEvent, type KeyboardEvent, type MouseEvent, useEffect, useMemo, useState } from "react";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { ChooseFiles } from "../../ui/files";
import { CategoryAsked, CategoryMenu, type Doing } from "./CategoryMenu";
import { type Branch, grown, useCategories } from "./categories";
import { edit } from "./describing";
import { droppedRows, useDragging } from "./dragging";
import { type Asked, ask, toggleFacet } from "./sounds";

const CATEGORY = "application/x-oskren-category";
const OPENS_MS = 600;

/** The tree of categories: filters, takes dropped rows, and is edited where it is shown. */
export function Tree({ counts, asked }: { counts: Record<string, number>; asked: Asked }) {
  const library = useShared((state) => state.library);
  const [editing, setEditing] = useState(false);
  const [open, setOpen] = useState<string[]>([]);
  const [over, setOver] = useState("");
  const [doing, setDoing] = useState<Doing | null>(null);
  const dragging = useDragging();
  // a category that is dragged over for a while shows what is in it
  useEffect(() => {
    if (!over) return;
    const wait = setTimeout(() => setOpen((now) => (now.includes(over) ? now : [...now, over])), OPENS_MS);
    return () => clearTimeout(wait);
  }, [over]);
  const categories = useCategories();
  const { paths, move, load } = categories;
  const counted = (path: string) =>
    Object.entries(counts).reduce((sum, [one, count]) => sum + (one === path || one.startsWith(`${path}/`) ? count : 0), 0);
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
  const row = (path: string, on: boolean, branch: boolean) =>
    doing?.path === path && doing.what === "rename" ? (
      <CategoryAsked doing={doing} categories={categories} onDone={done} />
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
      <CategoryMenu
        onAsk={(next) => {
          if (next.what === "add") setOpen((now) => [...now, next.path]);
          setDoing(next);
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
                  {doing?.path === node.path && doing.what !== "rename" && <CategoryAsked doing={doing} categories={categories} onDone={done} />}
                </Box>
              )}
            />
          </TreeView.Tree>
        </TreeView.Root>
      </CategoryMenu>
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
          {doing?.what === "new" ? (
            <CategoryAsked doing={doing} categories={categories} onDone={done} />
          ) : (
            <Do onClick={() => setDoing({ path: "", what: "new" })}>New category</Do>
          )}
          <ChooseFiles
            quiet
            label="Table of categories"
            accept=".csv,.tsv,.txt"
            hint="Read categories from a CSV table"
            onFiles={([file]) => void load(file)}
          >
            Read CSV
          </ChooseFiles>
          <Do quiet onClick={() => window.location.assign(`/api/lib/${library}/categories.csv`)} hint="Write the tree as CSV">
            Write CSV
          </Do>
        </Flex>
      )}
    </Box>
  );
}
