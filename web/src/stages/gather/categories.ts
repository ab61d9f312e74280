/** The categories of the library: as a tree, and what can be done to them. */
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { stale, undo } from "./describing";

export interface Branch {
  path: string;
  children: Branch[];
}

/** The paths as a tree; what stands alone has no branches. */
export function grown(paths: string[]): Branch {
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

export function useCategories() {
  const library = useShared((state) => state.library);
  const tree = useQuery({
    queryKey: ["categories", library],
    queryFn: () => got(api.GET("/api/lib/{library}/categories", { params: { path: { library } } })),
  });
  const paths = (tree.data ?? []).map((one) => one.path);
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
  const load = async (table: File) => {
    const csv = await table.text();
    await run(
      got(api.POST("/api/lib/{library}/categories.csv", { params: { path: { library } }, body: { csv, replace: false } })),
      (result) => `${result.count} categories read.`,
    );
  };
  return { paths, move, create, remove, load };
}
