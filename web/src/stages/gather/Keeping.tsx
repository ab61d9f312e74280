/** What leaves the library beside its files: the hand-over folder, and the library as one file. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { whenDone } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { Input, TextField } from "../../ui/fields";
import { complain, tell } from "../../ui/messages";

/** The folder another program looks into. */
export function HandOver() {
  const library = useShared((state) => state.library);
  const here = { params: { path: { library } } };
  const settings = useQuery({ queryKey: ["settings", library], queryFn: () => got(api.GET("/api/lib/{library}/settings", here)) });
  return (
    <Box>
      <Box color="dim" mb="8px">
        W writes what is heard to this folder, which another program may watch. Files there are never written over.
      </Box>
      <TextField
        label="Hand-over folder"
        mono
        value={settings.data?.hand_over ?? ""}
        onCommit={(text) =>
          settings.data &&
          void got(api.PUT("/api/lib/{library}/settings", { ...here, body: { ...settings.data, hand_over: text.trim() } })).then(
            () => queries.invalidateQueries({ queryKey: ["settings"] }),
            complain,
          )
        }
      />
    </Box>
  );
}

/** The library as one file: written, and opened again as a library of its own. */
export function Keeping() {
  const library = useShared((state) => state.library);
  const here = { params: { path: { library } } };
  const backUp = async (target: string) => {
    try {
      const started = await got(api.POST("/api/lib/{library}/backup", { ...here, body: { folder: target } }));
      const { result } = await whenDone(started.job, "backup");
      if (!result) return;
      const { referred = 0 } = result;
      const lacks = referred
        ? ` ${referred} ${referred === 1 ? "sound is" : "sounds are"} referred to where ${referred === 1 ? "its file lies" : "their files lie"}: that audio is not in it, so keep those files too.`
        : "";
      tell(`The library is kept in ${result.path}.${lacks}`, referred > 0);
    } catch (error) {
      complain(error);
    }
  };
  const restore = async (path: string) => {
    try {
      const made = await got(api.POST("/api/libraries/restore", { body: { path, name: "" } }));
      void queries.invalidateQueries({ queryKey: ["state"] });
      tell(`The library ${made.name} with ${made.sounds} sounds can be chosen on top.`);
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Flex direction="column" gap="8px">
      <Box color="dim">A backup holds the sounds, what is said of them, and all that was made. Opened again it is a library of its own.</Box>
      <Input
        label="Folder for the backup"
        mono
        flex={1}
        placeholder="Folder to write a backup to ↵"
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.value.trim() && void backUp(event.currentTarget.value.trim())}
      />
      <Input
        label="Backup to open"
        mono
        flex={1}
        placeholder="Backup to open as a library ↵"
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.value.trim() && void restore(event.currentTarget.value.trim())}
      />
    </Flex>
  );
}
