/** The bar over a design. */
import { Box, Flex } from "@chakra-ui/react";
import { useNavigate } from "react-router";
import type { Mix, Schemas } from "../../api/client";
import { actsOf } from "../../documents/named";
import { UndoRedo } from "../../documents/UndoRedo";
import type { History } from "../../documents/useDocument";
import { useShared } from "../../session/store";
import { Acts } from "../../ui/Acts";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { TextField } from "../../ui/fields";
import { level, seconds } from "../../ui/format";
import { Bar, SpokenTitle } from "../../ui/frames";
import { IN_WIDE } from "../../ui/theme";

/** Leaves the design for the cards of all. */
const ALL = "all";

interface Props {
  design: number;
  name: string;
  designs: Schemas["DesignView"][];
  empty: boolean;
  meters: Schemas["Sum"] | undefined;
  /** The version that is heard instead of what is now. */
  hearing: string | null;
  history: History<Mix>;
  /** Resolves when what was edited is kept. */
  saved: () => Promise<void>;
  onRename: (name: string) => void;
  onNew: () => void;
  onPerform: () => void;
  onPrintShift: () => void;
  onPrint: () => void;
  onPrintSlice: () => void;
}

export function BenchBar({
  design,
  name,
  designs,
  empty,
  meters,
  hearing,
  history,
  saved,
  onRename,
  onNew,
  onPerform,
  onPrintShift,
  onPrint,
  onPrintSlice,
}: Props) {
  const go = useNavigate();
  const told = { copy: "A design like this one, to go another way", trash: "With its versions; what was printed of it stays" };
  const acts = [
    ...actsOf("design", design, told, saved, (id) => useShared.setState({ design: id ?? null })),
    ...(empty ? [] : [{ key: "slice", label: "Print and slice", hint: "Print it, and open the print in Slice", onDo: onPrintSlice }]),
  ];
  return (
    <Bar>
      <SpokenTitle>{name}</SpokenTitle>
      <Box w="170px" flexShrink={1} minW="100px">
        <TextField label="Name of the design" value={name} onCommit={onRename} />
      </Box>
      <Choose
        label="Design"
        maxW="96px"
        value={String(design)}
        options={[...designs.map((one) => [String(one.id), one.name] as const), ...(designs.length > 1 ? [[ALL, "All designs …"] as const] : [])]}
        onChange={(value) => useShared.setState({ design: value === ALL ? null : Number(value) })}
      />
      <Do quiet onClick={onNew}>
        New
      </Do>
      <Acts label="This design" acts={acts} />
      <Do quiet hint="Play sounds on keys or pads (Ctrl Shift P)" onClick={onPerform}>
        Perform
      </Do>
      <Box flex={1} />
      {hearing !== null ? (
        <Box color="amber" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis" minW={0} data-testid="hearing">
          hearing {hearing}
        </Box>
      ) : (
        <Flex fontFamily="mono" fontSize="12px" gap="10px" whiteSpace="nowrap" data-testid="sum" css={IN_WIDE}>
          <span>{meters ? seconds(meters.seconds) : ""}</span>
          <Box as="span" color={meters?.over ? "coral" : meters?.warning ? "amber" : undefined} title={meters?.warning || undefined}>
            {meters ? level(meters.true_peak_dbtp, "dBTP") : "…"}
          </Box>
          <span>{meters ? level(meters.integrated_lufs, "LUFS") : ""}</span>
        </Flex>
      )}
      <UndoRedo history={history} />
      <Do onClick={() => go("/vary")}>Vary</Do>
      <Do
        disabled={empty}
        hint="Print, and take the print as a layer, an octave up unless the sum says otherwise (Ctrl Enter)"
        onClick={onPrintShift}
      >
        Print and shift
      </Do>
      <Do main act="commit" disabled={empty} onClick={onPrint}>
        Print
      </Do>
    </Bar>
  );
}
