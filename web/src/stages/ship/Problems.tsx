/** What stops the files of a sheet, kind by kind with a remedy for all of a kind; and what a buyer would miss. */
import { Box, Flex } from "@chakra-ui/react";
import type { Schemas, Target } from "../../api/client";
import type { Sheet } from "../../between/sheet";
import { Do } from "../../ui/buttons";

type Planned = Schemas["Planned"];

const TOLD: Record<Planned["kind"], string> = {
  "": "",
  alike: "would be called like another",
  foreign: "would lie where somebody else's file is",
  channels: "have more channels than their format holds",
  name: "have no name",
  held: "would lie where a folder or a library holds the path",
};

interface Props {
  files: readonly Planned[];
  missing: readonly Schemas["Missing"][];
  targets: Target[];
  allowed: string[];
  onChange: (values: Partial<Sheet>) => void;
}

export function Problems({ files, missing, targets, allowed, onChange }: Props) {
  const wrong = files.filter((one) => one.kind !== "");
  const kinds = [...new Set(wrong.map((one) => one.kind))];
  /** The targets of files of a kind, changed. */
  const changed = (kind: Planned["kind"], how: (target: Target) => Target) => {
    const which = new Set(wrong.filter((one) => one.kind === kind).map((one) => one.target));
    onChange({ targets: targets.map((target, i) => (which.has(i) ? how(target) : target)) });
  };
  const remedies: Partial<Record<Planned["kind"], [string, () => void]>> = {
    alike: ["Number them", () => changed("alike", (target) => ({ ...target, template: `${target.template}_{number:3}` }))],
    foreign: ["Write over them", () => onChange({ allowed: [...allowed, ...wrong.filter((one) => one.kind === "foreign").map((one) => one.path)] })],
    channels: ["Fold them down to stereo", () => changed("channels", (target) => ({ ...target, channels: "stereo" }))],
    name: ["Name them by their sounds", () => changed("name", (target) => ({ ...target, template: "{name}" }))],
  };
  if (!kinds.length && !missing.length) return null;
  return (
    <Flex direction="column" role="region" aria-label="Before it ships" px="16px" py="6px" gap="4px" borderBottom="1px solid" borderColor="line">
      {kinds.map((kind) => {
        const count = wrong.filter((one) => one.kind === kind).length;
        const remedy = remedies[kind];
        return (
          <Flex key={kind} align="center" gap="10px">
            <Box color="coral">
              {count} {count === 1 ? "file" : "files"} {TOLD[kind]}
            </Box>
            {remedy && <Do onClick={remedy[1]}>{remedy[0]}</Do>}
          </Flex>
        );
      })}
      {missing.length > 0 && (
        <Box color="dim" fontSize="12px">
          {missing.map((one) => one.told).join("; ")}.
        </Box>
      )}
    </Flex>
  );
}
