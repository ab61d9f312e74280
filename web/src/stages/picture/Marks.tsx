/** What stands over the lanes of a scene: time code, shot changes, cues and places. */
import { Box } from "@chakra-ui/react";
import { Fragment, memo } from "react";
import { frameRate, marks } from "../../canvas/ruler";
import { RULER } from "../../timeline/LaneArea";
import type { Scale } from "../../timeline/useScale";
import { Bare } from "../../ui/buttons";
import { type Cue, codeOf, type Film, momentOf, type Scene } from "./frames";

/** Height of the line places and cues lie on (px). */
export const PLACES = 16;

export function SceneRuler({ scene, film, scale, onFrame }: { scene: Scene; film: Film; scale: Scale; onFrame: (frame: number) => void }) {
  const { exact } = frameRate(scene.frame_rate);
  const offset = scene.start / exact;
  const { shown, width, toX } = scale;
  const told = marks([shown[0] + offset, shown[1] + offset], width, `code ${scene.frame_rate}`, 48_000, 0);
  return (
    <Box h={`${RULER}px`} borderBottom="1px solid" borderColor="line" position="relative" fontFamily="mono" fontSize="10px" color="dim">
      {told.map(({ at, text }) => (
        <Box
          key={at}
          position="absolute"
          left={`${toX(at - offset)}px`}
          top={0}
          bottom={0}
          borderLeft="1px solid"
          borderColor="line"
          pl="4px"
          whiteSpace="nowrap"
        >
          {text}
        </Box>
      ))}
      {film.shots.map((frame) => (
        <Bare
          key={frame}
          aria-label={`Shot change at ${codeOf(frame, scene)}`}
          title={`Shot change at ${codeOf(frame, scene)}`}
          position="absolute"
          bottom={0}
          left={`${toX(momentOf(frame, scene)) - 5}px`}
          w="10px"
          h="9px"
          color="dim"
          fontSize="9px"
          lineHeight="9px"
          onPointerDown={(event) => event.stopPropagation()}
          onClick={() => onFrame(frame)}
        >
          ▴
        </Bare>
      ))}
    </Box>
  );
}

export const CueMarks = memo(function CueMarks({
  scene,
  scale,
  chosen,
  onCue,
}: {
  scene: Scene;
  scale: Scale;
  chosen: string | null;
  onCue: (cue: Cue) => void;
}) {
  return (
    <>
      {(scene.cues ?? []).map((cue) => (
        <Fragment key={cue.id}>
          {cue.until != null && (
            <Box
              position="absolute"
              top={`${RULER}px`}
              h="3px"
              left={`${scale.toX(momentOf(cue.frame, scene))}px`}
              w={`${Math.max(2, scale.perSecond * (momentOf(cue.until, scene) - momentOf(cue.frame, scene)))}px`}
              bg={cue.id === chosen ? "amber" : "dim"}
            />
          )}
          <Bare
            data-mark={cue.id}
            aria-label={`Cue ${cue.name} at ${codeOf(cue.frame, scene)}`}
            title={`${cue.name}, ${codeOf(cue.frame, scene)}`}
            position="absolute"
            top={`${RULER}px`}
            left={`${scale.toX(momentOf(cue.frame, scene)) - 4}px`}
            w="9px"
            h={`${PLACES}px`}
            display="flex"
            justifyContent="center"
            onPointerDown={(event) => event.stopPropagation()}
            onClick={() => onCue(cue)}
          >
            <Box w="2px" h="100%" bg={cue.id === chosen ? "amber" : "dim"} />
          </Bare>
        </Fragment>
      ))}
    </>
  );
});

export function Places({ scene, scale, chosen, onPlace }: { scene: Scene; scale: Scale; chosen: string | null; onPlace: (id: string) => void }) {
  return (
    <Box h={`${PLACES}px`} position="relative" borderBottom="1px solid" borderColor="line">
      {(scene.places ?? []).map((place) => (
        <Bare
          key={place.id}
          aria-label={`Place ${place.name || place.space}`}
          position="absolute"
          top="1px"
          bottom="1px"
          left={`${scale.toX(momentOf(place.frame, scene))}px`}
          w={`${Math.max(4, scale.perSecond * (momentOf(place.until, scene) - momentOf(place.frame, scene)))}px`}
          bg={place.id === chosen ? "amberSoft" : "plum/24"}
          color="chalk"
          borderRadius="3px"
          fontSize="10px"
          lineHeight="13px"
          px="6px"
          textAlign="left"
          overflow="hidden"
          whiteSpace="nowrap"
          onPointerDown={(event) => event.stopPropagation()}
          onClick={() => onPlace(place.id)}
        >
          {place.name || place.space}
        </Bare>
      ))}
    </Box>
  );
}
