import { Box, Flex } from "@chakra-ui/react";
import { Bare } from "../../ui/buttons";

interface Props {
  /** dBFS of each channel now, and the highest since the meter was cleared. */
  levels: number[];
  peaks: number[];
  clips: number;
  names?: string[];
  onClear: () => void;
}

const LOWEST_DB = -60;
const MARKS = [-48, -36, -24, -18, -12, -6];
const share = (db: number) => Math.max(0, Math.min(100, ((db - LOWEST_DB) / -LOWEST_DB) * 100));

/** Input level, a bar a channel, with the peak held and clips counted; a click forgets both. */
export function Meter({ levels, peaks, clips, names, onClear }: Props) {
  const shown = levels.length ? levels : [LOWEST_DB];
  const highest = peaks.length ? Math.max(...peaks) : null;
  return (
    <Flex gap="10px" align="center" flex={1} minW={0}>
      <Flex direction="column" gap="3px" flex={1} minW={0}>
        {shown.map((db, lane) => {
          const held = peaks[lane] ?? LOWEST_DB;
          const name = names?.[lane] ?? (shown.length === 1 ? "Input level" : `Input level, channel ${lane + 1}`);
          return (
            <Box
              key={name}
              position="relative"
              h="9px"
              bg="ground"
              borderRadius="3px"
              overflow="hidden"
              role="meter"
              aria-label={name}
              aria-valuenow={Math.round(db)}
              aria-valuemin={LOWEST_DB}
              aria-valuemax={0}
              aria-valuetext={`${db.toFixed(1)} dBFS, highest ${held.toFixed(1)}`}
            >
              {MARKS.map((mark) => (
                <Box key={mark} position="absolute" top={0} bottom={0} w="1px" left={`${share(mark)}%`} bg="line" />
              ))}
              <Box position="absolute" h="100%" w={`${share(db)}%`} bg={held >= -0.01 ? "coral" : db > -6 ? "amber" : "glass"} />
              {held > LOWEST_DB && <Box position="absolute" top={0} bottom={0} w="2px" left={`calc(${share(held)}% - 2px)`} bg="chalk" />}
            </Box>
          );
        })}
      </Flex>
      <Box fontFamily="mono" fontSize="12px" w="172px" flexShrink={0} data-testid="meter" whiteSpace="nowrap">
        <Bare onClick={onClear} title="Highest level and clips since the meter was cleared; click to clear" cursor="pointer">
          highest {highest === null || highest <= LOWEST_DB ? "—" : highest.toFixed(1)}{" "}
          <Box as="span" color={clips ? "coral" : "dim"}>
            {clips} {clips === 1 ? "clip" : "clips"}
          </Box>
        </Bare>
      </Box>
    </Flex>
  );
}

/** What a level check says, by the highest peak (common practice, no source). */
export function verdict(peaks: number[], clips: number): { text: string; bad: boolean } {
  const highest = peaks.length ? Math.max(...peaks) : -96;
  if (clips) return { text: "Clipped: lower the gain and clear the meter.", bad: true };
  if (highest <= -90) return { text: "Silence: check the input and its cable.", bad: true };
  if (highest < -36) return { text: "Very low: raise the gain or go closer.", bad: true };
  if (highest > -3) return { text: "Close to clipping: lower the gain a little.", bad: true };
  return { text: highest < -24 ? "Low, still usable at 24 bit." : "A good level.", bad: false };
}
