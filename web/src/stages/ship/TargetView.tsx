import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas, type Target } from "../../api/client";
import { levelNames } from "../../between/levels";
import { useShared } from "../../session/store";
import { Acts } from "../../ui/Acts";
import { Do } from "../../ui/buttons";
import { ControlOf, Controls, useControl, useModels } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { bitsFor, useFormats } from "../../ui/formats";
import { Heading, Line } from "../../ui/frames";

type Rules = Schemas["Rules"];

const LIMITS: readonly (keyof Rules)[] = [
  ...(["true_peak_dbtp", "loudest_lufs", "quietest_lufs", "silence_s", "edge_dbfs"] as const),
  ...(["dc", "correlation", "shortest_s", "longest_s", "strict"] as const),
];

/** What the ready targets are for. */
const READY_TOLD: Record<string, string> = {
  archive: "WAV in its own bits, rate and level, in folders by category",
  game: "Ogg Vorbis, 48 kHz mono, under -1 dBTP, lower case without spaces",
  preview: "MP3 at one loudness, to listen through",
};

interface Props {
  targets: Target[];
  onChange: (targets: Target[]) => void;
  tokens: Record<string, string>;
  /** What each token gives for the file that is shown. */
  values: Record<string, string>;
}

/** How files are written. */
export function TargetView({ targets, onChange, tokens, values }: Props) {
  const [format, bits] = [useControl("Target", "format"), useControl("Target", "bits")];
  const models = useModels();
  const [at, setAt] = useState(0);
  const [limits, setLimits] = useState(false);
  const target = targets[Math.min(at, targets.length - 1)];
  const rules = target.rules ?? (models?.Rules?.defaults as Rules) ?? {};
  const formats = useFormats();
  const form = formats.find((one) => one.key === target.format);
  const lossless = form !== undefined && form.bits.length > 0;
  const set = (values: Partial<Target>) => onChange(targets.map((one, i) => (i === Math.min(at, targets.length - 1) ? { ...one, ...values } : one)));
  const library = useShared((state) => state.library);
  const ready = useQuery({
    queryKey: ["ready targets", library],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.GET("/api/lib/{library}/ship/ready", { params: { path: { library } } })),
  });
  const add = (one?: Target) => {
    const usual = models?.Target?.defaults as Target | undefined;
    const fresh = one ?? (usual && { ...usual, name: `target ${targets.length + 1}`, template: `target ${targets.length + 1}/{name}` });
    if (!fresh) return;
    const same = targets.filter((other) => other.name.startsWith(fresh.name)).length;
    onChange([...targets, same ? { ...fresh, name: `${fresh.name} ${same + 1}`, template: `${fresh.name} ${same + 1}/{name}` } : fresh]);
    setAt(targets.length);
  };
  return (
    <>
      <Heading>Targets</Heading>
      <Flex gap="6px" wrap="wrap">
        {targets.map((one, i) => (
          <Do key={one.name} on={i === at} onClick={() => setAt(i)}>
            {one.name}
          </Do>
        ))}
        <Acts
          label="Add a target"
          shown="+ add"
          acts={[
            ...(ready.data ?? []).map((one) => ({ key: one.name, label: one.name, hint: READY_TOLD[one.name], onDo: () => add(one) })),
            { key: "own", label: "of your own", onDo: () => add() },
          ]}
        />
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
          ...((target.bits ?? 16) === 16 && lossless ? (["dither", ...(target.dither ? (["shaped"] as const) : [])] as const) : []),
          "rate",
          "channels",
          "tail",
          "silence_dbfs",
          ...(target.silence_dbfs == null ? [] : (["room_ms"] as const)),
          "level_by",
          ...levelNames(target),
          ...(!form?.beyond.includes(target.bits ?? 0) ? (["over"] as const) : []),
          "fade_in_ms",
          "fade_out_ms",
        ]}
        value={target}
        onChange={set}
      />
      <Flex>
        <Do quiet on={limits} onClick={() => setLimits(!limits)} hint="What a finished file may not go over; it is read back and held to them">
          Limits of its files {limits ? "▴" : "▾"}
        </Do>
      </Flex>
      {limits && <Controls<Rules> model="Rules" names={LIMITS} value={rules} onChange={(changed) => set({ rules: { ...rules, ...changed } })} />}
      <Line />
      <Heading>Name of every file</Heading>
      <TextField label="Name template" value={target.template} onCommit={(template) => set({ template })} mono />
      <Flex gap="4px" wrap="wrap">
        {Object.entries(tokens).map(([token, meaning]) => (
          <Do key={token} quiet hint={meaning} onClick={() => set({ template: `${target.template}{${token}}` })}>
            <Box as="span" fontFamily="mono" fontSize="11px" color="dim">
              {`{${token}}`}
              {values[token] !== undefined && (
                <Box as="span" color="glass">
                  {` ${values[token] || "nothing"}`}
                </Box>
              )}
            </Box>
          </Do>
        ))}
      </Flex>
      <Box color="dim" fontSize="12px">
        A slash makes a folder.{" "}
        {Object.keys(values).length ? "Beside each token stands what it gives for the chosen file." : "Choose a file to see what each gives."}
      </Box>
      <Controls<Target> model="Target" names={["begin", "spaces", "case", "tidy"]} value={target} onChange={set} />
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
    </>
  );
}
