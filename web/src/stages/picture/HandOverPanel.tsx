/** Handing a scene over: mix, stems, sounds with edit lists, the film with the mix, the cue sheet; and what was written. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { STATE } from "../../api/questions";
import { type ResultOf, whenDone } from "../../session/jobs";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Controls, useModels } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Fact, Facts, Heading, Line } from "../../ui/frames";
import { complain, tell } from "../../ui/messages";

type Handing = Schemas["Handing"];

const short = (path: string) => path.split("/").pop() ?? path;

function Written({ done }: { done: ResultOf<"scene"> }) {
  return (
    <Flex direction="column" gap="4px" role="status" aria-label="What was exported">
      <Heading>Written to</Heading>
      <Box fontFamily="mono" fontSize="12px" overflowWrap="anywhere">
        {done.folder}
      </Box>
      <Facts>
        {done.mix && <Fact name="Mix">{short(done.mix)}</Fact>}
        {!!done.stems?.length && <Fact name="Stems">{done.stems.length}</Fact>}
        {!!done.sounds?.length && <Fact name="Sounds">{done.sounds.length}</Fact>}
        {done.video && <Fact name="Film">{short(done.video)}</Fact>}
        {done.cues && <Fact name="Cue sheet">{short(done.cues)}</Fact>}
        {!!done.edit_lists?.length && <Fact name="EDL">{done.edit_lists.length}</Fact>}
        {done.timeline && <Fact name="Timeline">{short(done.timeline)}</Fact>}
      </Facts>
      {[...(done.failed ?? []).map((one) => `${one.path}: ${one.reason}`), ...(done.said ?? [])].map((line) => (
        <Box key={line} fontSize="12px" color={done.failed?.some((one) => line.startsWith(one.path)) ? "coral" : "dim"}>
          {line}
        </Box>
      ))}
    </Flex>
  );
}

export function HandOverPanel({ scene, saved, onClose }: { scene: number; saved: () => Promise<void>; onClose: () => void }) {
  const library = useShared((state) => state.library);
  const begins = useQuery(STATE).data?.ship_folder ?? "";
  const models = useModels();
  const [own, setOwn] = useState<Handing | null>(null);
  const how = own ?? (models?.Handing?.defaults as Handing | undefined) ?? null;
  const [folder, setFolder] = useState("");
  const [running, setRunning] = useState(false);
  const [done, setDone] = useState<ResultOf<"scene"> | null>(null);
  const write = async () => {
    if (!how) return;
    setRunning(true);
    try {
      await saved();
      const { job } = await got(
        api.POST("/api/lib/{library}/scenes/{id}/hand-over", { params: { path: { library, id: scene } }, body: { folder: folder || begins, how } }),
      );
      const { result } = await whenDone(job, "scene");
      setDone(result);
      if (result)
        tell(
          result.failed?.length ? `${result.failed.length} could not be written; the panel says why.` : "The scene is exported.",
          !!result.failed?.length,
        );
    } catch (error) {
      complain(error);
    } finally {
      setRunning(false);
    }
  };
  if (!how) return null;
  return (
    <>
      <TextField named mono label="Folder" value={folder || begins} onCommit={setFolder} />
      <Controls<Handing> model="Handing" names={["picture"]} value={how} onChange={(values) => setOwn({ ...how, ...values })} folded />
      <Controls<Handing> model="Handing" names={["bits"]} value={how} onChange={(values) => setOwn({ ...how, ...values })} />
      <Flex gap="6px" wrap="wrap">
        <Controls<Handing> model="Handing" names={["stems", "sounds"]} value={how} onChange={(values) => setOwn({ ...how, ...values })} />
      </Flex>
      {how.sounds && <Controls<Handing> model="Handing" names={["handle_s"]} value={how} onChange={(values) => setOwn({ ...how, ...values })} />}
      <Flex gap="6px">
        <Do main act="commit" disabled={running} onClick={() => void write()}>
          {running ? "Exporting …" : "Export"}
        </Do>
        <Do onClick={onClose}>Close</Do>
      </Flex>
      <Line />
      {done ? (
        <Written done={done} />
      ) : (
        <Box color="dim" fontSize="12px">
          All of it goes into a folder of its own, named after the scene: nothing is written over. Every sound file is read back and checked.
        </Box>
      )}
    </>
  );
}
