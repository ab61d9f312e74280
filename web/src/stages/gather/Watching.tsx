/** Watched folders. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../../api/client";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Input } from "../../ui/fields";
import { complain, tell } from "../../ui/messages";

async function told(started: Promise<{ job: number }>) {
  try {
    const { result: scan } = await whenDone((await started).job, "rescan");
    void queries.invalidateQueries({ queryKey: ["watched"] });
    if (!scan) return;
    const skipped = scan.skipped.length
      ? `, ${scan.skipped.length} skipped (${scan.skipped[0].path.split("/").pop()}: ${scan.skipped[0].reason}${scan.skipped.length > 1 ? " ..." : ""})`
      : "";
    tell(`${scan.new} new, ${scan.moved} moved, ${scan.missing} missing${scan.back ? `, ${scan.back} back` : ""}${skipped}.`, scan.missing > 0);
  } catch (error) {
    complain(error);
  }
}

/** Folders whose files stay where they lie: what comes and goes there is followed. */
export function Watching() {
  const library = useShared((state) => state.library);
  const [folder, setFolder] = useState("");
  const [leaving, setLeaving] = useState<string | null>(null);
  const here = { params: { path: { library } } };
  const watched = useQuery({ queryKey: ["watched", library], queryFn: () => got(api.GET("/api/lib/{library}/watched", here)) });
  const fresh = () => void queries.invalidateQueries({ queryKey: ["watched"] });
  const watch = () => {
    if (!folder.trim()) return;
    void told(got(api.POST("/api/lib/{library}/watched", { ...here, body: { path: folder.trim() } })));
    setFolder("");
  };
  return (
    <Box>
      {watched.data?.map((one) => (
        <Box key={one.path} mb="5px">
          <Flex gap="8px" align="center" wrap="wrap">
            <Box
              w="100%"
              fontFamily="mono"
              fontSize="12px"
              overflow="hidden"
              textOverflow="ellipsis"
              whiteSpace="nowrap"
              title={one.path}
              color={one.there ? "chalk" : "coral"}
            >
              …/{one.path.split("/").slice(-2).join("/")}
            </Box>
            <Box color="dim" fontSize="11px" whiteSpace="nowrap">
              {one.there
                ? one.scanned
                  ? `${one.found.new ?? 0} new, ${one.found.moved ?? 0} moved, ${one.found.missing ?? 0} missing${one.found.skipped ? `, ${one.found.skipped} skipped` : ""}`
                  : "not scanned yet"
                : "not there now"}
            </Box>
            <Box flex={1} />
            <Do
              quiet
              onClick={() =>
                void told(got(api.POST("/api/lib/{library}/watched/rescan", { params: { path: { library }, query: { path: one.path } } })))
              }
            >
              Rescan
            </Do>
            <Do quiet hint="Say which folders in it are not looked at" onClick={() => setLeaving(leaving === one.path ? null : one.path)}>
              Leave out
            </Do>
            <Do
              quiet
              hint="Stop watching; its sounds stay in the library"
              onClick={() =>
                void got(api.DELETE("/api/lib/{library}/watched", { params: { path: { library }, query: { path: one.path } } })).then(fresh, complain)
              }
            >
              ×
            </Do>
          </Flex>
          {leaving === one.path && (
            <Input
              label={`Folders of ${one.path} to leave out`}
              mono
              w="100%"
              autoFocus
              placeholder="Folders inside it, with commas between ↵"
              defaultValue={one.left_out.map((path) => path.slice(one.path.length + 1)).join(", ")}
              onKeyDown={(event) => {
                if (event.key === "Escape") setLeaving(null);
                if (event.key !== "Enter") return;
                const left_out = event.currentTarget.value
                  .split(",")
                  .map((part) => part.trim())
                  .filter(Boolean)
                  .map((part) => (part.startsWith("/") ? part : `${one.path}/${part}`));
                setLeaving(null);
                void got(api.PATCH("/api/lib/{library}/watched", { ...here, body: { ...one, left_out } })).then(fresh, complain);
              }}
            />
          )}
        </Box>
      ))}
      <Flex gap="8px">
        <Input
          label="Folder to watch"
          mono
          flex={1}
          placeholder="Whole path of a folder to watch"
          value={folder}
          onChange={(event) => setFolder(event.target.value)}
          onKeyDown={(event) => event.key === "Enter" && watch()}
        />
        <Do disabled={!folder.trim()} onClick={watch}>
          Watch
        </Do>
      </Flex>
    </Box>
  );
}
