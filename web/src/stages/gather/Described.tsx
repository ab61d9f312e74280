import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type SoundFacts, type SoundRow } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { TextField } from "../../ui/fields";
import { Line, Side } from "../../ui/frames";
import { Measured, Noted, Said } from "./Facts";
import { HeardNow } from "./HeardNow";
import { OwnFields } from "./OwnFields";
import { type Change, MARKS } from "./sounds";

interface Props {
  row: SoundRow | null;
  facts: SoundFacts | null;
  onChange: (values: Partial<Change>) => void;
  onLayer: () => void;
  onAlike: () => void;
}

function Steps({ label, value, onPick }: { label: string; value: number; onPick: (value: number) => void }) {
  return (
    <Flex gap="3px" role="group" aria-label={label}>
      {[1, 2, 3, 4, 5].map((step) => (
        <chakra.button
          key={step}
          type="button"
          aria-label={`${label} ${step}`}
          aria-pressed={value >= step}
          title={`${label} ${step}`}
          onClick={() => onPick(value === step ? 0 : step)}
          w="18px"
          h="18px"
          borderRadius="5px"
          fontFamily="mono"
          fontSize="11px"
          cursor="pointer"
          bg={value >= step ? "glassDeep" : "ground"}
          color={value >= step ? "chalk" : "dim"}
        >
          {step}
        </chakra.button>
      ))}
    </Flex>
  );
}

/** What is selected, and what can be done to it. */
export function Described({ row, facts, onChange, onLayer, onAlike }: Props) {
  const library = useShared((state) => state.library);
  const uses = useQuery({
    queryKey: ["uses", library, row?.id],
    enabled: !!row,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}/uses", { params: { path: { library, id: row?.id ?? 0 } } })),
  });
  if (!row)
    return (
      <Side label="Selected sound">
        <Box color="dim">Choose a row: it is heard at once. The arrow keys go from sound to sound.</Box>
        <Box color="dim">Shift and Ctrl choose several; drag them onto a category or a set to file them, or out of the window as files.</Box>
      </Side>
    );
  return (
    <Side label="Selected sound" foot={<HeardNow row={row} onLayer={onLayer} onAlike={onAlike} />}>
      <TextField label="Name" value={row.name} onCommit={(name) => name.trim() && onChange({ name: name.trim() })} />
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
          <Do quiet act="confirm" onClick={() => onChange({ confirm: true })}>
            Confirm
          </Do>
        </Flex>
      )}
      <TextField label="Tags" value={row.tags} placeholder="Tags, by spaces" onCommit={(tags) => onChange({ tags })} />
      <Flex justify="space-between" align="center">
        <Box color="dim">Rated</Box>
        <Steps label="Rate" value={row.rating} onPick={(rating) => onChange({ rating })} />
      </Flex>
      <Flex justify="space-between" align="center">
        <Box color="dim" title="How hard it is, 1 to 5">
          Strength{facts && !facts.strength_given ? ", proposed" : ""}
        </Box>
        <Steps label="Strength" value={row.strength ?? 0} onPick={(strength) => onChange({ strength })} />
      </Flex>
      <Flex justify="space-between" align="center">
        <Box color="dim">Mark</Box>
        <Flex gap="5px">
          {MARKS.map((mark) => (
            <chakra.button
              key={mark}
              type="button"
              aria-label={`Mark ${mark}`}
              aria-pressed={row.mark === mark}
              title={`Mark ${mark}`}
              w="15px"
              h="15px"
              borderRadius="4px"
              bg={mark}
              outline={row.mark === mark ? "2px solid" : undefined}
              outlineColor="chalk"
              cursor="pointer"
              onClick={() => onChange({ mark: row.mark === mark ? "" : mark })}
            />
          ))}
        </Flex>
      </Flex>
      <TextField label="Notes" value={facts?.notes ?? ""} placeholder="Notes" onCommit={(notes) => onChange({ notes })} />
      <TextField label="Rights" value={facts?.rights ?? ""} placeholder="Rights" onCommit={(rights) => onChange({ rights })} />
      <OwnFields row={row} onChange={onChange} />
      {facts && <Noted facts={facts} />}
      <Line />
      <Measured row={row} facts={facts} onChange={onChange} />
      {facts && <Said facts={facts} />}
      {(uses.data?.length ?? 0) > 0 && (
        <Box fontSize="12px">
          <Box color="dim">Used in</Box>
          {uses.data?.slice(0, 6).map((use) => (
            <Box key={`${use.what} ${use.item}`}>
              {use.what} {use.name}{" "}
              <Box as="span" color="dim">
                ({use.project})
              </Box>
            </Box>
          ))}
        </Box>
      )}
    </Side>
  );
}
