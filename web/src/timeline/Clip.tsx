/** What is placed on a lane: its waveform with handles for place, edges, fades, anchor and what slips inside. */
import { Box, Flex } from "@chakra-ui/react";
import { fadeGain } from "../canvas/fades";
import { anchorIn, type ClipActs, type Drawn, type Fades, type Grip, type Placed } from "./clips";
import { EnvelopeLine } from "./EnvelopeLine";
import { useClipDrag } from "./useClipDrag";
import { usePicture, Wave } from "./Wave";

function FadeLines({
  fades,
  seconds,
  width,
  height,
  rise,
  fall,
}: {
  fades: Fades;
  seconds: number;
  width: number;
  height: number;
  rise: number;
  fall: number;
}) {
  const curve = (length: number, shape: string, out: boolean) => {
    const points = [];
    for (let i = 0; i <= 24; i++) {
      const x = (i / 24) * (length / seconds) * width;
      points.push(`${out ? width - x : x} ${height - fadeGain(i / 24, shape) * (height - 2) - 1}`);
    }
    return points.join(" ");
  };
  return (
    <svg width={width} height={height} overflow="visible" style={{ position: "absolute", inset: 0, pointerEvents: "none" }} aria-hidden="true">
      {rise > 0 && <polyline points={curve(rise, fades.in_shape, false)} fill="none" stroke="currentColor" strokeOpacity="0.65" />}
      {fall > 0 && <polyline points={curve(fall, fades.out_shape, true)} fill="none" stroke="currentColor" strokeOpacity="0.65" />}
    </svg>
  );
}

function FadeGrip({ grip, title, ...at }: { grip: Grip; title: string; left?: string; right?: string }) {
  return (
    <Box
      data-grip={grip}
      position="absolute"
      top="10px"
      {...at}
      w="10px"
      h="10px"
      borderRadius="full"
      bg="chalk"
      border="2px solid"
      borderColor="ground"
      cursor="ew-resize"
      title={title}
    />
  );
}

/** A clip that is no wider has no room for a word. */
const SPEAKING_PX = 26;

interface Props {
  clip: Placed;
  /** Pixels a second, and the second at the left edge. */
  scale: number;
  from: number;
  height: number;
  /** The largest magnitude among the lanes. */
  beside: number;
  chosen: boolean;
  faded: boolean;
  /** The number whose curve is drawn on it. */
  aim: Drawn | null;
  pen: boolean;
  /** What its beginning is counted from, in words: "from the strike line". */
  label: string;
  acts: ClipActs;
}

export function Clip({ clip, scale, from, height, beside, chosen, faded, aim, pen, label, acts }: Props) {
  const { seconds, fades } = clip;
  const width = Math.max(4, seconds * scale);
  const { digest, frames, channels } = clip.picture;
  const data = usePicture(digest, frames, channels, Math.min(1200, Math.max(16, Math.round(width))));
  const { moved, pointer } = useClipDrag(clip, scale, chosen, acts);
  const [clear, deep] = clip.tone;
  const fixed = clip.locked || clip.frozen;
  const [trimLeft, trimRight] = [moved("start"), moved("end")];
  const rise = Math.min(seconds, Math.max(0, fades.in_s + moved("fadeIn") / scale));
  const fall = Math.min(seconds, Math.max(0, fades.out_s - moved("fadeOut") / scale));
  // the place is known here before the server answers: the anchor lands where it is said to
  const anchor = anchorIn(clip);
  const starts = clip.at_s - anchor;
  const left = (starts - from) * scale + trimLeft;
  const shown = Math.max(4, width - trimLeft + trimRight);
  return (
    <Box
      role="button"
      tabIndex={-1}
      aria-label={`${[clip.name, ...clip.words].join(", ")}, starts ${starts.toFixed(3)} s ${label}`}
      aria-pressed={chosen}
      data-clip={clip.id}
      position="absolute"
      top="5px"
      bottom="5px"
      left={`${left}px`}
      w={`${shown}px`}
      bg={`${deep}/${chosen ? 42 : 26}`}
      border="1px solid"
      borderColor={chosen ? clear : "line"}
      borderStyle={clip.frozen ? "dashed" : "solid"}
      borderRadius="6px"
      overflow="hidden"
      opacity={faded ? 0.35 : 1}
      cursor={clip.locked ? "not-allowed" : "grab"}
      touchAction="none"
      {...pointer}
      title={clip.hint}
    >
      <Box position="absolute" top={0} bottom={0} left={`${-trimLeft + moved("slip")}px`} w={`${width}px`} pointerEvents="none">
        <Wave data={data.data} width={width} height={height} clear={clear} deep={deep} gain={10 ** (clip.gain_db / 20)} beside={beside} />
      </Box>
      {shown > SPEAKING_PX && (
        <Flex
          position="absolute"
          top="1px"
          left="8px"
          right="6px"
          gap="8px"
          pl="6px"
          pointerEvents="none"
          fontSize="11px"
          lineHeight="15px"
          whiteSpace="nowrap"
          overflow="hidden"
          aria-hidden
        >
          <Box overflow="hidden" textOverflow="ellipsis" bg="ground/60" borderRadius="3px" px="3px">
            {clip.name}
          </Box>
          {clip.words.map((word) => (
            <Box key={word} fontFamily="mono" fontSize="10px" color={clear} bg="ground/60" borderRadius="3px" px="3px">
              {word}
            </Box>
          ))}
        </Flex>
      )}
      {(rise > 0 || fall > 0) && <FadeLines fades={clip.fades} seconds={seconds} width={shown} height={height} rise={rise} fall={fall} />}
      {aim && !fixed ? (
        <EnvelopeLine
          aim={aim}
          envelope={clip.curve}
          line={clip.line}
          scale={scale}
          width={width}
          height={height}
          pen={pen}
          onChange={(next) => acts.curve(clip.id, next)}
        />
      ) : (
        chosen &&
        !fixed && (
          <>
            <Box data-grip="start" position="absolute" left={0} top="20px" bottom={0} w="7px" cursor="ew-resize" title="Trim the start" />
            <Box data-grip="end" position="absolute" right={0} top="20px" bottom={0} w="7px" cursor="ew-resize" title="Trim the end" />
            <FadeGrip grip="fadeIn" title="Fade in" left={`${Math.max(0, rise * scale - 5)}px`} />
            <FadeGrip grip="fadeOut" title="Fade out" right={`${Math.max(0, fall * scale - 5)}px`} />
          </>
        )
      )}
      <Box
        data-grip="anchor"
        position="absolute"
        top={0}
        left={`${anchor * scale - trimLeft + moved("anchor") - 6}px`}
        borderLeft="6px solid transparent"
        borderRight="6px solid transparent"
        borderTop="8px solid"
        borderTopColor="amber"
        cursor={fixed ? undefined : "col-resize"}
        pointerEvents={aim ? "none" : "auto"}
        title="Anchor: drag it along the sound"
      />
    </Box>
  );
}
