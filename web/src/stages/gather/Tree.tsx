import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type DragEvent, useEffect, useRef, useState } from "react";
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

/** The tree of categories: filters, takes dropped rows, and is edited where it is shown. */
export function Tree({ counts, asked }: { counts: Record<string, number>; asked: Asked }) {
  const library = useShared((state) => state.library);
  const [editing, setEditing] = useState(false);
  const [open, setOpen] = useState<string[]>([]);
  const [over, setOver] = useState("");
  const [naming, setNaming] = useState<{ path: string; add: boolean } | null>(null);
  const [leaving, setLeaving] = useState("");
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
  const add = (path: string) =>
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
  const name = (path: string) => (
    <NameInput
      label={naming?.add ? "Name of the new category" : `New name of ${path}`}
      defaultValue={naming?.add ? "" : path.split("/").pop()}
      py="1px"
      w="100%"
      onLeave={() => setNaming(null)}
      onNamed={(text) => {
        if (naming?.add) {
          setOpen((now) => [...now, path]);
          add(path ? `${path}/${text}` : text);
        } else move(path, [...path.split("/").slice(0, -1), ...text.split("/")].join("/"));
      }}
    />
  );
  const shown = paths.filter((path) => {
    const parts = path.split("/");
    const held = editing || dragging || counted(path) > 0 || asked.facets.category?.includes(path);
    return held && parts.slice(1).every((_, depth) => open.includes(parts.slice(0, depth + 1).join("/")));
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
        <Do quiet on={editing} onClick={() => setEditing(!editing)} hint="Add, rename, move, merge and delete categories" fontSize="11px">
          {editing ? "Done" : "Edit"}
        </Do>
      </Flex>
      <Box role="tree" aria-label="Categories">
        {shown.map((path) => {
          const depth = path.split("/").length - 1;
          const parent = paths.some((one) => one.startsWith(`${path}/`) && (editing || dragging || counted(one) > 0));
          const on = !!asked.facets.category?.includes(path);
          return (
            <Box
              key={path}
              role="treeitem"
              tabIndex={-1}
              aria-level={depth + 1}
              aria-selected={on}
              aria-expanded={parent ? open.includes(path) : undefined}
            >
              {naming?.path === path && !naming.add ? (
                name(path)
              ) : (
                <Flex
                  align="center"
                  pl={`${depth * 11}px`}
                  borderRadius="6px"
                  bg={over === path ? "amberSoft" : on ? "raised" : undefined}
                  outline={over === path ? "1px solid" : undefined}
                  outlineColor="amber"
                  draggable={editing}
                  onDragStart={(event) => event.dataTransfer.setData(CATEGORY, path)}
                  {...target(path)}
                >
                  <Bare
                    w="14px"
                    flexShrink={0}
                    color="dim"
                    cursor="pointer"
                    visibility={parent ? "visible" : "hidden"}
                    aria-label={`${open.includes(path) ? "Close" : "Open"} ${path}`}
                    onClick={() => setOpen((now) => (now.includes(path) ? now.filter((one) => one !== path) : [...now, path]))}
                  >
                    {open.includes(path) ? "−" : "+"}
                  </Bare>
                  <Bare
                    aria-pressed={on}
                    onClick={() => toggleFacet("category", path)}
                    onDoubleClick={() => editing && setNaming({ path, add: false })}
                    display="flex"
                    flex={1}
                    minW={0}
                    justifyContent="space-between"
                    gap="5px"
                    py="2px"
                    pr="4px"
                    textAlign="left"
                    cursor="pointer"
                    color={on ? "amber" : depth ? "dim" : "chalk"}
                    title={editing ? "Drag to move it, double-click to rename it" : `${path}: drop rows here to file them`}
                  >
                    <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                      {path.split("/").pop()}
                    </Box>
                    {!editing && (
                      <Box fontFamily="mono" fontSize="11px" color="dim">
                        {counted(path)}
                      </Box>
                    )}
                  </Bare>
                  {editing && (
                    <>
                      <Do quiet hint={`Rename ${path}`} onClick={() => setNaming({ path, add: false })} fontSize="10px">
                        name
                      </Do>
                      <Do quiet hint={`Add a category in ${path}`} onClick={() => setNaming({ path, add: true })}>
                        +
                      </Do>
                      <Do quiet hint={`Delete ${path}`} onClick={() => setLeaving(path)}>
                        ×
                      </Do>
                    </>
                  )}
                </Flex>
              )}
              {naming?.path === path && naming.add && name(path)}
              {leaving === path && (
                <Choose
                  label={`Where the sounds of ${path} go`}
                  value=""
                  w="100%"
                  options={[
                    ["", "Its sounds go to …"],
                    ["-", "no category"],
                    ...paths.filter((one) => one !== path && !one.startsWith(`${path}/`)).map((one) => [one, one] as const),
                    ["x", "do not delete it"],
                  ]}
                  onChange={(chosen) => {
                    setLeaving("");
                    if (chosen && chosen !== "x") remove(path, chosen === "-" ? "" : chosen);
                  }}
                />
              )}
            </Box>
          );
        })}
        {(counts[""] ?? 0) > 0 && (
          <Bare
            aria-pressed={!!asked.facets.category?.includes("")}
            onClick={() => toggleFacet("category", "")}
            display="flex"
            justifyContent="space-between"
            w="100%"
            pl="14px"
            pr="4px"
            py="2px"
            cursor="pointer"
            color={asked.facets.category?.includes("") ? "amber" : "dim"}
            {...target("")}
          >
            None yet
            <Box fontFamily="mono" fontSize="11px">
              {counts[""]}
            </Box>
          </Bare>
        )}
      </Box>
      {editing && (
        <Flex gap="4px" wrap="wrap" mt="4px" {...target("")}>
          {naming?.path === "" ? name("") : <Do onClick={() => setNaming({ path: "", add: true })}>New category</Do>}
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
