/** The film at the frame of the playhead, or at the one under a hand; its time code and speed stand on it. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Opened } from "../../api/client";
import { useListening } from "../../listening/state";
import { useJobs } from "../../session/jobs";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { useAt, useInTime } from "./film";
import { codeOf, type Film, type Scene } from "./frames";

/** How slow a film is played, with its sound. */
export const SPEEDS = [1, 1 / 2, 1 / 3, 1 / 4] as const;

export const speedSaid = (tempo: number) => (tempo >= 1 ? `${Number(tempo.toFixed(2))}x` : `1/${Math.round(1 / tempo)} speed`);

function Written({ scene }: { scene: Scene }) {
  const frame = useAt((state) => state.held ?? state.frame);
  const held = useAt((state) => state.held !== null);
  return (
    <Box fontFamily="mono" fontSize="12px" bg="ground/80" borderRadius="5px" px="8px" py="2px" color={held ? "amber" : "chalk"} data-testid="code">
      {codeOf(frame, scene)}
    </Box>
  );
}

/** While the copy that is played is made, single frames come from the server. */
function Still({ film, scene }: { film: Film; scene: Scene }) {
  const library = useShared((state) => state.library);
  const frame = useAt((state) => state.held ?? state.frame);
  return (
    <img
      src={`/api/lib/${encodeURIComponent(library)}/films/${film.id}/frames/${Math.min(frame, scene.frames - 1)}`}
      alt={`Frame ${frame} of ${film.name}`}
      style={{ width: "100%", height: "100%", objectFit: "contain" }}
    />
  );
}

export function FilmView({ film, scene, opened, onAgain }: { film: Film; scene: Scene; opened: Opened | null; onAgain: () => void }) {
  const library = useShared((state) => state.library);
  const [video, setVideo] = useState<HTMLVideoElement | null>(null);
  const tempo = useListening((state) => state.tempo);
  const opening = useJobs((state) => Object.values(state.jobs).find((one) => one.kind === "film" && one.state === "running"));
  useInTime(video, opened, scene);
  const said =
    film.state === "failed"
      ? film.message
      : film.state === "opening"
        ? `The copy that is played is being made${opening?.total ? `: ${Math.round((100 * opening.done) / opening.total)} %` : ""}; frames are shown one by one meanwhile.`
        : "";
  return (
    <Box position="relative" flex={1} minH={0} bg="ground" role="group" aria-label="Film">
      {film.state === "ready" ? (
        <video
          ref={setVideo}
          src={`/api/lib/${encodeURIComponent(library)}/films/${film.id}/played`}
          muted
          playsInline
          preload="auto"
          aria-label={`${film.name}, the film`}
          style={{ width: "100%", height: "100%", objectFit: "contain", display: "block" }}
        />
      ) : (
        <Still film={film} scene={scene} />
      )}
      <Flex position="absolute" left="12px" right="12px" bottom="10px" justify="space-between" align="center" gap="10px" pointerEvents="none">
        <Written scene={scene} />
        {said && (
          <Flex align="center" gap="8px" bg="ground/80" borderRadius="5px" px="8px" py="2px" fontSize="12px" role="status" pointerEvents="auto">
            <Box color={film.state === "failed" ? "coral" : "dim"}>{said}</Box>
            {film.state === "failed" && <Do onClick={onAgain}>Open it again</Do>}
          </Flex>
        )}
        {tempo !== 1 && (
          <Box fontFamily="mono" fontSize="12px" bg="ground/80" borderRadius="5px" px="8px" py="2px">
            {speedSaid(tempo)}
          </Box>
        )}
      </Flex>
    </Box>
  );
}
