import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Schemas, Target } from "../../api/client";
import { levelNames } from "../../between/levels";
import { Do } from "../../ui/buttons";
import { ControlOf, Controls, useControl, useModels } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { bitsFor, useFormats } from "../../ui/formats";
import { Heading, Line, Side } from "../../ui/frames";

type HandOver = Schemas["HandOver"];

interface Props {
  targets: Target[];
  onChange: (targets: Target[]) => void;
  tokens: Record<string, string>;
  folder: string;
  onFolder: (folder: string) => void;
  handOver: HandOver;
  onHandOver: (values: Partial<HandOver>) => void;
}

/** How files are written. */
export function TargetView({ targets, onChange, tokens, folder, onFolder, handOver, onHandOver }: Props) {
  const [format, bits] = [useControl("Target", "format"), useControl("Target", "bits")];
  const models = useModels();
  const [at, setAt] = useState(0);
  const target = targets[Math.min(at, targets.length - 1)];
  const formats = useFormats();
  const form = formats.find((one) => one.key === target.format);
  const lossless = form !== undefined && form.bits.length > 0;
  const set = (values: Partial<Target>) => onChange(targets.map((one, i) => (i === Math.min(at, targets.length - 1) ? { ...one, ...values } : one)));
  const add = () => {
    const usual = models?.Target?.defaults as Target | undefined;
    if (usual) onChange([...targets, { ...usual, name: `target ${targets.length + 1}`, format: "ogg", template: "preview/{name}" }]);
    setAt(targets.length);
  };
  return (
    <Side label="Targets">
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
      <ControlOf
        control={format}
        value={target.format}
        onChange={(next) =>
          set({
            format: String(next),
            bits: bitsFor(
              formats.find((one) => one.key === next),
              target.bits,
            ),
          })
        }
      />
      {!!form?.rates.length && (
        <Box color="dim" fontSize="12px">
          {form.label} holds {form.rates.map((rate) => rate / 1000).join(", ")} kHz; any other rate becomes the next higher of them, a higher one the
          highest.
        </Box>
      )}
      {lossless && (
        <ControlOf
          control={bits && { ...bits, options: bits.options.filter((one) => one.value === null || form.bits.includes(Number(one.value))) }}
          value={target.bits ?? null}
          onChange={(next) => set({ bits: next })}
        />
      )}
      <Controls<Target>
        model="Target"
        names={[
          ...((target.bits ?? 16) === 16 && lossless ? (["dither"] as const) : []),
          "rate",
          "channels",
          "level_by",
          ...levelNames(target),
          ...(!form?.beyond.includes(target.bits ?? 0) ? (["over"] as const) : []),
          "fade_in_ms",
          "fade_out_ms",
        ]}
        value={target}
        onChange={set}
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
      <Line />
      <Heading>Beside the files</Heading>
      <Controls<HandOver>
        model="HandOver"
        names={["page", "readme", "reel", ...(handOver.reel ? (["gap_s"] as const) : [])]}
        value={handOver}
        onChange={onHandOver}
      />
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
