import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Node, type Step, slowly } from "../../api/client";
import { Do } from "../../ui/buttons";
import { hertz } from "../../ui/format";

/** The narrowest notch the equaliser has. */
const SHARPEST = 60;

interface Props {
  library: string;
  base: Node;
  chain: Step[];
  onNotch: (params: { frequency_hz: number; q: number }) => void;
}

/** Narrow peaks of the sound as it is now; each is taken away by one notch, an ordinary step. */
export function Resonances({ library, base, chain, onNotch }: Props) {
  const [open, setOpen] = useState(false);
  const found = useQuery({
    queryKey: ["resonances", library, base, chain],
    enabled: open,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      slowly(signal, () =>
        got(api.POST("/api/lib/{library}/mend/resonances", { params: { path: { library } }, body: { node: base, chain }, signal })),
      ),
  });
  return (
    <Box role="group" aria-label="Resonances">
      <Do quiet on={open} onClick={() => setOpen(!open)} hint="List narrow peaks that stand out of the spectrum, with a notch for each">
        Find resonances
      </Do>
      {open && found.error && (
        <Box color="coral" role="alert">
          {found.error.message}
        </Box>
      )}
      {open && !found.data && !found.error && <Box color="dim">Looking …</Box>}
      {open && found.data?.length === 0 && <Box color="dim">No narrow peak stands out.</Box>}
      {open &&
        found.data?.map((one) => (
          <Flex key={one.frequency_hz} align="center" gap="8px" fontFamily="mono" fontSize="12px" data-resonance={one.frequency_hz}>
            <Box w="72px">{hertz(one.frequency_hz)}</Box>
            <Box w="62px" color="amber">
              +{one.height_db.toFixed(1)} dB
            </Box>
            <Box flex={1} color="dim">
              {one.width_hz.toFixed(one.width_hz < 10 ? 1 : 0)} Hz wide
            </Box>
            <Do
              quiet
              hint={`Add a notch at ${hertz(one.frequency_hz)}`}
              onClick={() =>
                onNotch({ frequency_hz: Number(one.frequency_hz.toFixed(1)), q: Number(Math.min(SHARPEST, Math.max(0.1, one.q)).toFixed(1)) })
              }
            >
              Notch
            </Do>
          </Flex>
        ))}
    </Box>
  );
}
