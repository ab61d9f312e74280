import { Box, chakra, Flex } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { api, got } from "../../api/client";
import { follow } from "../../session/following";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Input } from "../../ui/fields";
import { useKeys } from "../../ui/keys";
import { Watching } from "./Watching";

/** Import a folder or files: of this machine by path, or sent by the browser. */
export function ImportPanel({ onClose, onFiles, onCard }: { onClose: () => void; onFiles: (files: File[]) => Promise<void>; onCard: () => void }) {
  const library = useShared((state) => state.library);
  const [path, setPath] = useState("");
  const [refer, setRefer] = useState(false);
  const folder = useRef<HTMLInputElement>(null);
  const files = useRef<HTMLInputElement>(null);
  useKeys({ leave: onClose }, { over: true });
  const run = () => {
    if (!path.trim()) return;
    void follow("import", got(api.POST("/api/lib/{library}/import", { params: { path: { library } }, body: { paths: [path.trim()], refer } })));
    onClose();
  };
  const send = (list: FileList | null) => {
    onClose();
    // a chosen folder's files carry their path inside it
    void onFiles([...(list ?? [])].map((file) => new File([file], file.webkitRelativePath || file.name, { type: file.type })));
  };
  return (
    <Flex direction="column" gap="10px" bg="raised" borderBottom="1px solid" borderColor="line" p="14px" role="region" aria-label="Import">
      <Flex gap="10px" align="center">
        <Input
          autoFocus
          mono
          label="Folder or file of this machine"
          placeholder="Whole path of a folder or file of this machine"
          value={path}
          onChange={(event) => setPath(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter") run();
            if (event.key === "Escape") onClose();
          }}
          flex={1}
        />
        <Do on={!refer} onClick={() => setRefer(false)} hint="The library keeps its own copy">
          Copy
        </Do>
        <Do on={refer} onClick={() => setRefer(true)} hint="The files stay where they lie">
          Refer
        </Do>
        <Do main disabled={!path.trim()} onClick={run}>
          Import
        </Do>
      </Flex>
      <Flex gap="10px" align="center" color="dim">
        <Box flex={1}>Or drop files and folders anywhere on this page. Originals are never changed; what is no audio is listed with its reason.</Box>
        <Do onClick={onCard} hint="Copy a recorder's takes, name them, check every copy">
          Offload a card
        </Do>
        <Do onClick={() => files.current?.click()}>Choose files</Do>
        <Do onClick={() => folder.current?.click()}>Choose a folder</Do>
        <Do act="leave" quiet onClick={onClose}>
          Close
        </Do>
        <chakra.input ref={files} type="file" multiple display="none" aria-label="Files" onChange={(event) => send(event.target.files)} />
        <input
          ref={(element) => {
            folder.current = element;
            element?.setAttribute("webkitdirectory", "");
          }}
          type="file"
          multiple
          style={{ display: "none" }}
          aria-label="Folder"
          onChange={(event) => send(event.target.files)}
        />
      </Flex>
      <Watching />
    </Flex>
  );
}
