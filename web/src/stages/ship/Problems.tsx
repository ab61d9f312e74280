/** What stops the files of a sheet, kind by kind with a remedy for all of a kind; and what is to be known before it runs. */
import { Box, Flex } from "@chakra-ui/react";
import type { Schemas, Target } from "../../api/client";
import type { Sheet } from "../../between/sheet";
import { Bare, Do } from "../../ui/buttons";

type Planned = Schemas["Planned"];
type Noted = Schemas["Noted"];

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
  noted: readonly Noted[];
  sheet: Sheet;
  /** What is shown alone in the table. */
  shown: Noted["what"] | null;
  onShow: (noted: Noted | null) => void;
  onTakeOff: (items: readonly number[]) => void;
  onChange: (values: Partial<Sheet>) => void;
}

export function Problems({ files, noted, sheet, shown, onShow, onTakeOff, onChange }: Props) {
  const { targets } = sheet as { targets: Target[] };
  const allowed = sheet.allowed ?? [];
  const wrong = files.filter((one) => one.kind !== "");
  const kinds = [...new Set(wrong.map((one) => one.kind))];
  const all = (how: (target: Target) => Target) => onChange({ targets: targets.map(how) });
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
  const helps = (one: Noted): [string, () => void] | null => {
    switch (one.what) {
      case "source":
        return ["Take them off", () => onTakeOff(one.items)];
      case "level":
        return ["Lower what goes over", () => all((target) => ({ ...target, over: "lower" }))];
      case "phase":
        return ["Keep their channels", () => all((target) => (target.channels === "mono" ? { ...target, channels: "keep" } : target))];
      case "loop":
        return ["Write FLAC", () => all((target) => (["ogg", "opus", "mp3"].includes(target.format ?? "") ? { ...target, format: "flac" } : target))];
      case "rate":
        return ["Keep their own rate", () => all((target) => ({ ...target, rate: null }))];
      default:
        return null;
    }
  };
  if (!kinds.length && !noted.length) return null;
  const help = noted.map(helps);
  return (
    <Flex direction="column" role="region" aria-label="Before it ships" px="16px" py="6px" gap="3px" borderBottom="1px solid" borderColor="line">
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
      <Flex wrap="wrap" columnGap="16px" rowGap="2px" fontSize="12px">
        {noted.map((one, i) => (
          <Flex key={one.what} align="center" gap="6px">
            <Bare
              color={shown === one.what ? "amber" : help[i] ? "chalk" : "dim"}
              fontSize="12px"
              aria-pressed={shown === one.what}
              title="Show only these, or all again"
              onClick={() => onShow(shown === one.what ? null : one)}
            >
              {one.told}
            </Bare>
            {help[i] && (
              <Do quiet onClick={help[i][1]}>
                {help[i][0]}
              </Do>
            )}
          </Flex>
        ))}
      </Flex>
    </Flex>
  );
}
