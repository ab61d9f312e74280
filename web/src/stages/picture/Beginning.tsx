/** Picture before a scene is open: scenes of the project, films of the library, and a video file to open. */
import { Box, Flex, SimpleGrid } from "@chakra-ui/react";
import { useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { useJobs } from "../../session/jobs";
import { queries, useShared } from "../../session/store";
import { sendFilm } from "../../session/uploading";
import { Bare, Do } from "../../ui/buttons";
import { Input } from "../../ui/fields";
import { ChooseFiles } from "../../ui/files";
import { clock } from "../../ui/format";
import { Bar, Heading, Title } from "../../ui/frames";
import { complain } from "../../ui/messages";
import type { Film } from "./frames";

export async function beginScene(film: Film): Promise<void> {
  const { library, project } = useShared.getState();
  try {
    const made = await got(
      api.POST("/api/lib/{library}/scenes", { params: { path: { library } }, body: { name: film.name.slice(0, 200), film: film.id, project } }),
    );
    for (const key of ["scenes", "counts"]) void queries.invalidateQueries({ queryKey: [key] });
    useShared.setState({ scene: made.id });
  } catch (error) {
    complain(error);
  }
}

/** Open a film and begin a scene for it: frames are shown while the copy that is played is made. */
async function openFilm(started: Promise<{ id?: number | null }>) {
  try {
    const { id } = await started;
    const { library } = useShared.getState();
    void queries.invalidateQueries({ queryKey: ["films"] });
    await beginScene(await got(api.GET("/api/lib/{library}/films/{id}", { params: { path: { library, id: id ?? 0 } } })));
  } catch (error) {
    complain(error);
  }
}

function OpenFilm() {
  const library = useShared((state) => state.library);
  const [path, setPath] = useState("");
  const open = () => {
    if (path.trim())
      void openFilm(got(api.POST("/api/lib/{library}/films", { params: { path: { library } }, body: { path: path.trim(), name: "" } })));
  };
  return (
    <Flex gap="8px" align="center" wrap="wrap">
      <Input
        label="Path of a video file"
        mono
        w="380px"
        placeholder="/…/scene.mp4, or choose a file"
        value={path}
        onChange={(event) => setPath(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && open()}
      />
      <Do main disabled={!path.trim()} onClick={open}>
        Open film
      </Do>
      <ChooseFiles label="Video file" accept=".mp4,.mov,.m4v,.mkv,.webm,.avi,video/*" onFiles={([file]) => file && void openFilm(sendFilm(file))}>
        Choose a file
      </ChooseFiles>
    </Flex>
  );
}

/** One frame out of a film's middle. */
function Still({ film }: { film: Film }) {
  const library = useShared((state) => state.library);
  return (
    <img
      src={`/api/lib/${encodeURIComponent(library)}/films/${film.id}/frames/${Math.floor(film.film.frames / 3)}?width=320`}
      alt=""
      loading="lazy"
      style={{ width: "100%", aspectRatio: "16 / 9", objectFit: "cover", borderRadius: 6, display: "block" }}
    />
  );
}

export function Beginning({ scenes, films }: { scenes: Schemas["SceneHead"][]; films: Film[] }) {
  const running = useJobs((state) => Object.values(state.jobs).find((one) => one.kind === "film" && one.state === "running"));
  const filmOf = (id: number) => films.find((one) => one.id === id);
  return (
    <Flex direction="column" h="100%">
      <Bar>
        <Title>Picture</Title>
      </Bar>
      <Box p="18px" overflowY="auto" flex={1} tabIndex={0} role="region" aria-label="Scenes and films">
        <OpenFilm />
        <Box color="dim" mt="8px" maxW="640px">
          A film (WebM, MP4, MOV, MKV) stays where it lies. Its frames are counted as its file says; sounds and designs are put on them by their
          anchors, and the mix, stems, cue sheet and edit lists are handed over from here.
        </Box>
        {running && (
          <Box role="status" color="dim" mt="8px" fontFamily="mono" fontSize="12px">
            {running.title}
            {running.total ? `: ${Math.round((100 * running.done) / running.total)} %` : ""}
          </Box>
        )}
        {!!scenes.length && (
          <Box mt="18px">
            <Heading>Scenes</Heading>
          </Box>
        )}
        <SimpleGrid as="section" aria-label="Scenes" gridTemplateColumns="repeat(auto-fill, minmax(260px, 1fr))" gap="14px">
          {scenes.map((scene) => {
            const film = filmOf(scene.film);
            return (
              <Bare
                key={scene.id}
                display="block"
                textAlign="left"
                p="12px"
                bg="sheet"
                border="1px solid"
                borderColor="line"
                borderRadius="8px"
                onClick={() => useShared.setState({ scene: scene.id })}
              >
                {film && <Still film={film} />}
                <Flex justify="space-between" gap="10px" mt="8px">
                  <Box fontSize="14px" fontWeight={600} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                    {scene.name}
                  </Box>
                  <Box fontFamily="mono" fontSize="11px" color="dim" whiteSpace="nowrap" lineHeight="20px">
                    {film ? clock(film.seconds, 0) : ""}
                  </Box>
                </Flex>
                <Box color="dim" fontSize="12px">
                  {scene.cues ? `${scene.answered} of ${scene.cues} cues answered, ` : ""}
                  {scene.placements} placed
                </Box>
              </Bare>
            );
          })}
        </SimpleGrid>
        {!!films.length && (
          <Box mt="18px">
            <Heading>Films of the library</Heading>
          </Box>
        )}
        <Flex direction="column" gap="4px" as="section" aria-label="Films">
          {films.map((film) => (
            <Flex key={film.id} align="center" gap="12px">
              <Box minW="180px">{film.name}</Box>
              <Box fontFamily="mono" fontSize="12px" color="dim">
                {clock(film.seconds, 0)}, {film.film.frame_rate} frames a second
              </Box>
              {film.state === "failed" && <Box color="coral">{film.message}</Box>}
              <Do quiet onClick={() => void beginScene(film)}>
                Begin a scene
              </Do>
            </Flex>
          ))}
        </Flex>
      </Box>
    </Flex>
  );
}
