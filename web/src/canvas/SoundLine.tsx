/** A sound in a list, as what stands in its line: small waveform, name, length. */
import { Box } from "@chakra-ui/react";
import { seconds } from "../ui/format";
import { MiniWave } from "./MiniWave";

interface Props {
  sound: { name: string; outline: string; seconds: number };
  /** Width and height of the waveform. */
  wave: [width: string, height: number];
  colour?: string;
}

export function SoundLine({ sound, wave, colour }: Props) {
  return (
    <>
      <Box w={wave[0]} flexShrink={0}>
        <MiniWave outline={sound.outline} height={wave[1]} />
      </Box>
      <Box flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" color={colour}>
        {sound.name}
      </Box>
      <Box fontFamily="mono" fontSize="11px" color="dim">
        {seconds(sound.seconds)}
      </Box>
    </>
  );
}
