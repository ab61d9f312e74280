import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Target } from "../../api/client";
import { FIRST_TARGET } from "../../between/target";
import { Do, Heading, Line, Num, Pick, Side, TextField } from "../../ui/parts";
import { useRanges } from "../../ui/ranges";

interface Props {
  targets: Target[];
  onChange: (targets: Target[]) => void;
  tokens: Record<string, string>;
  folder: string;
  onFolder: (folder: string) => void;
}

const RATES = ["its own", "44.1 kHz", "48 kHz", "96 kHz"] as const;

/** How files are written. */
export function TargetView({ targets, onChange, tokens, folder, onFolder }: Props) {
  const range = useRanges();
  const [at, setAt] = useState(0);
  const target = targets[Math.min(at, targets.length - 1)];
  const set = (values: Partial<Target>) => onChange(targets.map((one, i) => (i === Math.min(at, targets.length - 1) ? { ...one, ...values } : one)));
  const add = () => {
    onChange([...targets, { ...FIRST_TARGET, name: `target ${targets.length + 1}`, format: "ogg", template: "preview/{name}" }]);
    setAt(targets.length);
  };
  return (
    <Side label="Targets" width="290px">
      <Heading>Folder to ship to</Heading>
      <TextField label="Folder to ship to" value={folder} onCommit={onFolder} mono />
      <Line />
      <Heading>Targets</Heading>
      <Flex gap="6px" wrap="wrap">
        {targets.map((one, i) => (
          <Do key={one.name} on={i === at} onClick={() => setAt(i)}>
            {one.name}
          </Do>
        ))}
        <Do quiet onClick={add}>
          + add
        </Do>
      </Flex>
      <TextField label="Name of the target" value={target.name} onCommit={(name) => name.trim() && set({ name: name.trim() })} />
      <Pick
        label="Format"
        value={{ wav: "WAV", flac: "FLAC", ogg: "Ogg Vorbis" }[target.format]}
        options={["WAV", "FLAC", "Ogg Vorbis"]}
        onChange={(name) =>
          set({ format: name === "WAV" ? "wav" : name === "FLAC" ? "flac" : "ogg", bits: name === "FLAC" && target.bits === 32 ? 24 : target.bits })
        }
      />
      {target.format !== "ogg" && (
        <Pick
          label="Bits"
          value={target.bits === 32 ? "32 float" : String(target.bits)}
          options={target.format === "wav" ? ["16", "24", "32 float"] : ["16", "24"]}
          onChange={(bits) => set({ bits: bits === "32 float" ? 32 : bits === "24" ? 24 : 16 })}
        />
      )}
      {target.bits === 16 && target.format !== "ogg" && (
        <Do on={target.dither} onClick={() => set({ dither: !target.dither })} hint="Triangular dither of 2 LSB before rounding">
          Dither
        </Do>
      )}
      <Pick
        label="Sample rate"
        value={target.rate ? (`${target.rate / 1000} kHz` as (typeof RATES)[number]) : "its own"}
        options={RATES}
        onChange={(rate) => set({ rate: rate === "its own" ? null : Math.round(Number.parseFloat(rate) * 1000) })}
      />
      <Pick
        label="Channels"
        value={target.channels === "keep" ? "as they are" : target.channels}
        options={["as they are", "mono", "stereo", "quad", "5.1", "7.1", "ambix"]}
        onChange={(channels) => set({ channels: channels === "as they are" ? "keep" : channels })}
      />
      <Pick
        label="Level"
        value={target.peak_dbfs === null ? "as it is" : "each to a peak"}
        options={["as it is", "each to a peak"]}
        onChange={(way) => set({ peak_dbfs: way === "as it is" ? null : -1 })}
      />
      {target.peak_dbfs !== null && (
        <Num
          {...range("Target", "peak_dbfs")}
          label="Peak"
          value={target.peak_dbfs ?? -1}
          unit="dBFS"
          low={-24}
          high={0}
          normal={-1}
          onChange={(peak_dbfs) => set({ peak_dbfs })}
        />
      )}
      {(target.bits !== 32 || target.format === "ogg") && (
        <Pick
          label="What goes over full scale"
          value={{ refuse: "is not written", lower: "is lowered", limit: "is limited" }[target.over]}
          options={["is not written", "is lowered", "is limited"]}
          onChange={(way) => set({ over: way === "is lowered" ? "lower" : way === "is limited" ? "limit" : "refuse" })}
        />
      )}
      <Num
        {...range("Target", "fade_in_ms")}
        label="Fade in"
        value={target.fade_in_ms}
        unit="ms"
        low={0}
        high={500}
        normal={0}
        onChange={(fade_in_ms) => set({ fade_in_ms })}
      />
      <Num
        {...range("Target", "fade_out_ms")}
        label="Fade out"
        value={target.fade_out_ms}
        unit="ms"
        low={0}
        high={2000}
        normal={0}
        onChange={(fade_out_ms) => set({ fade_out_ms })}
      />
      <Line />
      <Heading>Name of every file</Heading>
      <TextField label="Name template" value={target.template} onCommit={(template) => set({ template })} mono />
      <Flex gap="4px" wrap="wrap">
        {Object.entries(tokens).map(([token, meaning]) => (
          <Do key={token} quiet hint={meaning} onClick={() => set({ template: `${target.template}{${token}}` })}>
            <Box as="span" fontFamily="mono" fontSize="11px" color="dim">
              {`{${token}}`}
            </Box>
          </Do>
        ))}
      </Flex>
      <Box color="dim" fontSize="12px">
        A slash makes a folder.
      </Box>
      {targets.length > 1 && (
        <Do
          onClick={() => {
            onChange(targets.filter((one) => one !== target));
            setAt(0);
          }}
        >
          Remove this target
        </Do>
      )}
    </Side>
  );
}
