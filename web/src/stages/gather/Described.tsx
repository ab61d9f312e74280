import { Box, chakra, Flex } from "@chakra-ui/react";
import type { SoundFacts, SoundRow } from "../../api/client";
import { channels, hertz, level, note, rate } from "../../app/format";
import { Do, Fact, Heading, Line, Side, TextField } from "../../app/parts";
import { useSend } from "../../app/send";
import { useListening } from "../../listening/player";

const KINDS = ["hit", "top", "end", "start"] as const;

interface Props {
  row: SoundRow | null;
  facts: SoundFacts | null;
  onChange: (
    values: Partial<{ name: string; category: string; tags: string; rating: number; notes: string; anchor_kind: (typeof KINDS)[number] }>,
  ) => void;
  onLayer: () => void;
}

function Chip({ children }: { children: string }) {
  return (
    <Box bg="amberSoft" color="amber" fontFamily="mono" fontSize="11px" px="6px" py="1px" borderRadius="5px">
      {children}
    </Box>
  );
}

/** What is selected, and what can be done to it. */
export function Described({ row, facts, onChange, onLayer }: Props) {
  const send = useSend();
  const { heard, loop, looping, speedSt, gainDb } = useListening();
  if (!row)
    return (
      <Side label="Selected sound">
        <Box color="dim">Choose a row: it is heard at once. The arrow keys go from sound to sound.</Box>
      </Side>
    );
  const measures = (facts?.measures ?? {}) as Record<string, number | null>;
  const along =
    heard?.title === row.name
      ? [
          speedSt && `${speedSt > 0 ? "+" : ""}${speedSt} st`,
          looping && loop && `part ${loop[0].toFixed(2)} to ${loop[1].toFixed(2)} s`,
          gainDb && `${gainDb > 0 ? "+" : ""}${gainDb} dB`,
        ].filter(Boolean)
      : [];
  const pitch = measures.pitch_hz && (measures.pitch_confidence ?? 0) > 0.5 ? `${hertz(measures.pitch_hz)}, ${note(measures.pitch_hz)}` : "none sure";
  return (
    <Side label="Selected sound">
      <TextField label="Name" value={row.name} onCommit={(name) => name.trim() && onChange({ name: name.trim() })} />
      <Box color="dim" fontFamily="mono" fontSize="11px" overflowWrap="anywhere">
        {facts?.paths.length
          ? facts.paths.map((path) => path.split("/").slice(-2).join("/")).join(" and ")
          : row.kind === "original"
            ? ""
            : `${row.kind}, made in Oskren`}
      </Box>
      <TextField
        label="Category"
        value={row.category}
        placeholder="Category, e.g. Glass/Creak"
        onCommit={(category) => onChange({ category: category.trim() })}
      />
      {row.category && row.category_sure < 1 && (
        <Flex justify="space-between" align="center">
          <Box color="amber" fontSize="12px">
            Proposed, {Math.round(row.category_sure * 100)} % sure
          </Box>
          <Do quiet onClick={() => onChange({ category: row.category })}>
            Confirm
          </Do>
        </Flex>
      )}
      <TextField label="Tags" value={row.tags} placeholder="Tags, by spaces" onCommit={(tags) => onChange({ tags })} />
      <Flex justify="space-between" align="center">
        <Box color="dim">Rated</Box>
        <Flex gap="3px">
          {[1, 2, 3, 4, 5].map((value) => (
            <chakra.button
              key={value}
              type="button"
              aria-label={`Rate ${value}`}
              aria-pressed={row.rating >= value}
              title={`Rate (${value})`}
              onClick={() => onChange({ rating: row.rating === value ? 0 : value })}
              w="20px"
              h="20px"
              borderRadius="5px"
              fontFamily="mono"
              fontSize="11px"
              cursor="pointer"
              bg={row.rating >= value ? "glassDeep" : "ground"}
              color={row.rating >= value ? "chalk" : "dim"}
            >
              {value}
            </chakra.button>
          ))}
        </Flex>
      </Flex>
      <Line />
      <Box>
        <Fact name="Format">
          {row.format} {row.bits ? `${row.bits} bit` : ""}
        </Fact>
        <Fact name="Rate, channels">
          {rate(row.rate)}, {channels(row.channels)}
        </Fact>
        <Fact name="Peak / true peak">
          {level(measures.sample_peak_dbfs)} / {level(measures.true_peak_dbtp, "dB")}
        </Fact>
        <Fact name="Loudness">{level(measures.integrated_lufs, "LUFS")}</Fact>
        <Fact name="Noise floor">{level(measures.noise_floor_dbfs, "dBFS")}</Fact>
        <Fact name="Brightness">{hertz(measures.brightness_hz)}</Fact>
        <Fact name="Bandwidth">{hertz(measures.bandwidth_hz)}</Fact>
        <Fact name="Pitch">{pitch}</Fact>
        <Flex justify="space-between" align="center" minH="22px">
          <Box color="dim">Anchor</Box>
          <Flex gap="6px" align="center" fontFamily="mono" fontSize="12px">
            {row.anchor_s.toFixed(3)} s
            <chakra.select
              aria-label="Kind of anchor"
              value={row.anchor_kind}
              onChange={(event) => onChange({ anchor_kind: event.target.value as (typeof KINDS)[number] })}
              bg="ground"
              borderRadius="5px"
              px="3px"
            >
              {KINDS.map((kind) => (
                <option key={kind}>{kind}</option>
              ))}
            </chakra.select>
          </Flex>
        </Flex>
      </Box>
      <Line />
      <Heading>Heard now, taken along to a layer</Heading>
      <Flex gap="5px" wrap="wrap" minH="20px">
        {along.length ? along.map((chip) => <Chip key={String(chip)}>{String(chip)}</Chip>) : <Box color="dim">the whole sound as it is</Box>}
      </Flex>
      <Flex gap="7px" wrap="wrap" mt="auto" pt="8px">
        <Do act="toLayer" onClick={onLayer}>
          To a layer
        </Do>
        <Do act="toMend" onClick={() => send.mend(row.id)}>
          Mend
        </Do>
        <Do act="toSlice" onClick={() => send.slice(row.id)}>
          Slice
        </Do>
        <Do act="toShip" onClick={() => send.ship([row.id])}>
          Ship
        </Do>
      </Flex>
    </Side>
  );
}
