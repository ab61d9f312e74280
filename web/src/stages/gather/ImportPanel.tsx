/** What comes in and what goes out, by what one wishes to do. */

import { Box, Flex, Tabs } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import { api, got } from "../../api/client";
import { follow } from "../../session/following";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Input } from "../../ui/fields";
import { ChooseFiles } from "../../ui/files";
import { useKeys } from "../../ui/keys";
import { HandOver, Keeping } from "./Keeping";
import { Watching } from "./Watching";

interface Props {
  onClose: () => void;
  onFiles: (files: File[]) => Promise<void>;
  onCard: () => void;
}

/** A folder or file of this machine by its path, or files that the browser sends. */
function Bringing({ onClose, onFiles }: Pick<Props, "onClose" | "onFiles">) {
  const library = useShared((state) => state.library);
  const [path, setPath] = useState("");
  const bring = (refer: boolean) => {
    if (!path.trim()) return;
    void follow("import", got(api.POST("/api/lib/{library}/import", { params: { path: { library } }, body: { paths: [path.trim()], refer } })));
    onClose();
  };
  const send = (chosen: File[]) => {
    onClose();
    // a chosen folder's files carry their path inside it
    void onFiles(chosen.map((file) => new File([file], file.webkitRelativePath || file.name, { type: file.type })));
  };
  return (
    <Flex direction="column" gap="10px">
      <Flex gap="10px" align="center">
        <Input
          autoFocus
          mono
          label="Folder or file of this machine"
          placeholder="Whole path of a folder or file of this machine"
          value={path}
          onChange={(event) => setPath(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter") bring(false);
            if (event.key === "Escape") onClose();
          }}
          flex={1}
        />
        <Do main disabled={!path.trim()} onClick={() => bring(false)} hint="The library keeps its own copy">
          Copy in
        </Do>
        <Do disabled={!path.trim()} onClick={() => bring(true)} hint="The files stay where they lie">
          Refer to it
        </Do>
      </Flex>
      <Flex gap="10px" align="center" color="dim">
        <Box flex={1}>Or drop files and folders anywhere on this page. Originals are never changed; what is no audio is listed with its reason.</Box>
        <ChooseFiles label="Files" many onFiles={send}>
          Choose files
        </ChooseFiles>
        <ChooseFiles label="Folder" folder onFiles={send}>
          Choose a folder
        </ChooseFiles>
      </Flex>
    </Flex>
  );
}

export function ImportPanel({ onClose, onFiles, onCard }: Props) {
  useKeys({ leave: onClose }, { over: true });
  const wishes: [string, string, ReactNode][] = [
    ["bring", "Bring in", <Bringing key="bring" onClose={onClose} onFiles={onFiles} />],
    [
      "card",
      "From a recorder",
      <Flex key="card" gap="10px" align="center" color="dim">
        <Box flex={1}>The takes of a card are copied, every copy is compared, and each gets its name by a pattern. The card is left as it is.</Box>
        <Do main onClick={onCard}>
          Offload a card
        </Do>
      </Flex>,
    ],
    ["watch", "Watch a folder", <Watching key="watch" />],
    ["hand", "Hand over", <HandOver key="hand" />],
    ["keep", "Back up", <Keeping key="keep" />],
  ];
  return (
    <Box bg="raised" borderBottom="1px solid" borderColor="line" p="8px 14px 14px" role="region" aria-label="Import">
      <Tabs.Root defaultValue="bring" lazyMount unmountOnExit>
        <Flex align="center">
          <Tabs.List flex={1}>
            {wishes.map(([key, name]) => (
              <Tabs.Trigger key={key} value={key} whiteSpace="nowrap">
                {name}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <Do act="leave" quiet onClick={onClose}>
            Close
          </Do>
        </Flex>
        {wishes.map(([key, , holds]) => (
          <Tabs.Content key={key} value={key} pt="10px">
            {holds}
          </Tabs.Content>
        ))}
      </Tabs.Root>
    </Box>
  );
}
