import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { SoundFacts, SoundRow } from "../../api/client";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { channels, hertz, level, note, rate } from "../../ui/format";
import { Fact, Facts } from "../../ui/frames";
import { ask, type Change } from "./sounds";

const KINDS = ["hit", "top", "end", "start"] as const;

interface Props {
  row: SoundRow;
  facts: SoundFacts | null;
  onChange: (values: Partial<Change>) => void;
}

/** What was measured of a sound, and what may be set right: its channel layout and its anchor. */
export function Measured({ row, facts, onChange }: Props) {
  const measures = (facts?.measures ?? {}) as Record<string, number | null>;
  return (
    <Facts>
      <Fact name="Format">
        {row.format} {row.bits ? `${row.bits} bit` : ""} {rate(row.rate)}
      </Fact>
      <Fact name="Channels">
        {(facts?.layouts.length ?? 0) > 2 || (row.channels > 2 && facts) ? (
          <Choose
            label="Channel layout"
            value={row.layout}
            options={(facts?.layouts ?? [row.layout]).map((one) => [one, one] as const)}
            onChange={(layout) => onChange({ layout })}
          />
        ) : (
          <Box fontFamily="mono" fontSize="12px">
            {channels(row.channels)}
          </Box>
        )}
      </Fact>
      <Fact name="Peak / true peak">
        {level(measures.sample_peak_dbfs)} / {level(measures.true_peak_dbtp, "dB")}
      </Fact>
      <Fact name="Loudness">{level(measures.integrated_lufs, "LUFS")}</Fact>
      <Fact name="Noise floor">{level(measures.noise_floor_dbfs, "dBFS")}</Fact>
      <Fact name="Brightness">{hertz(measures.brightness_hz)}</Fact>
      <Fact name="Reaches up to">{hertz(row.bandwidth)}</Fact>
      <Fact name="Pitch">{row.pitch ? `${hertz(row.pitch)}, ${note(row.pitch)}` : "none sure"}</Fact>
      <Fact name="Key">
        {row.key ? (
          <Do quiet hint="Only sounds whose notes agree with this key" onClick={() => ask({ q: `where key agrees with ${row.key}` })}>
            <Box as="span" fontFamily="mono" fontSize="12px">
              {row.key}
            </Box>
          </Do>
        ) : (
          <Box fontFamily="mono" fontSize="12px">
            none
          </Box>
        )}
      </Fact>
      <Fact name="Anchor">
        <Flex gap="6px" align="center" fontFamily="mono" fontSize="12px">
          {row.anchor_s.toFixed(3)} s
          <Choose
            label="Kind of anchor"
            value={row.anchor_kind}
            options={KINDS.map((kind) => [kind, kind] as const)}
            onChange={(kind) => onChange({ anchor_kind: kind as (typeof KINDS)[number] })}
          />
        </Flex>
      </Fact>
    </Facts>
  );
}

/** What the files of a sound say of themselves. */
export function Said({ facts }: { facts: SoundFacts }) {
  const [open, setOpen] = useState(false);
  const { said } = facts;
  const entries = (
    [
      ["Title", said.title],
      ["By", said.artist],
      ["Date", said.date],
      ["Category", said.category],
      ["Keywords", said.keywords.join(", ")],
      ["Project", said.project],
      ["Scene, take", [said.scene, said.take].filter(Boolean).join(", ")],
      ["Tape", said.tape],
      ["Markers", said.markers.length ? String(said.markers.length) : ""],
      ["Loops", said.loops.map((loop) => `${loop.start_s.toFixed(3)} to ${loop.end_s.toFixed(3)} s`).join(", ")],
      ["Channels", said.channel_names.join(" ")],
    ] as [string, string][]
  ).filter(([, value]) => value);
  const other = facts.paths.length > 1;
  return (
    <Box>
      <Do quiet onClick={() => setOpen(!open)} fontSize="12px">
        <Box as="span" color="dim">
          {open ? "−" : "+"} {facts.paths.length} {facts.paths.length === 1 ? "file" : "files"}
          {entries.length ? `, ${entries.length} facts found in it` : ""}
        </Box>
      </Do>
      {open && (
        <Box bg="ground" borderRadius="6px" p="7px" fontSize="11px">
          {facts.paths.map((path) => (
            <Box key={path.path} mb="4px" overflowWrap="anywhere" color={path.missing ? "coral" : "dim"}>
              {path.path}
              {other || path.missing ? ` (${path.format}${path.missing ? ", missing" : ""})` : ""}
            </Box>
          ))}
          <Facts>
            {entries.map(([name, value]) => (
              <Fact key={name} name={name}>
                {value}
              </Fact>
            ))}
          </Facts>
        </Box>
      )}
    </Box>
  );
}

/** What the sound has from its arrival: written there, read here. */
export function Noted({ facts }: { facts: SoundFacts }) {
  const said = Object.entries(facts.noted).filter(([, text]) => text);
  if (!facts.arrival || facts.kind === "print" || facts.kind === "variation") return null;
  return (
    <Box fontSize="12px">
      <Flex justify="space-between" align="center">
        <Box color="dim">{said.length ? "From its arrival" : "No notes on its arrival"}</Box>
        <Do
          quiet
          hint="Show this arrival, with its notes and photos"
          onClick={() => ask({ q: "", facets: { arrival: [String(facts.arrival)] }, like: null })}
        >
          Arrival
        </Do>
      </Flex>
      {said.map(([name, text]) => (
        <Box key={name} overflowWrap="anywhere">
          <Box as="span" color="dim">
            {name}{" "}
          </Box>
          {text}
        </Box>
      ))}
    </Box>
  );
}
