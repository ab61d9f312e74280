import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type SoundFacts, type SoundRow } from "../../api/client";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Grade } from "../../ui/choices";
import { TextField } from "../../ui/fields";
import { Line, Side } from "../../ui/frames";
import { Measured, Noted, Said } from "./Facts";
import { FirstVisit } from "./FirstVisit";
import { HeardNow } from "./HeardNow";
import { OwnFields } from "./OwnFields";
import { type Change, MARKS } from "./sounds";

interface Props {
  row: SoundRow | null;
  facts: SoundFacts | null;
  /** It is not among the rows that were found. */
  outside: boolean;
  onChange: (values: Partial<Change>) => void;
  onLayer: () => void;
  onAlike: () => void;
}

/** What is selected, and what can be done to it. */
export function Described({ row, facts, outside, onChange, onLayer, onAlike }: Props) {
  const library = useShared((state) => state.library);
  const uses = useQuery({
    queryKey: ["uses", library, row?.id],
    enabled: !!row,
    queryFn: () => got(api.GET("/api/lib/{library}/sounds/{id}/uses", { params: { path: { library, id: row?.id ?? 0 } } })),
  });
  if (!row)
    return (
      <Side label="Selected sound">
        <FirstVisit />
        <Box color="dim">Choose a row: it is heard at once. The arrow keys go from sound to sound.</Box>
        <Box color="dim">Shift and Ctrl choose several; drag them onto a category or a set to file them, or out of the window as files.</Box>
      </Side>
    );
  return (
    <Side label="Selected sound" foot={<HeardNow row={row} onLayer={onLayer} onAlike={onAlike} />}>
      {outside && (
        <Box color="dim" fontSize="12px" role="status">
          This sound is not among the rows found.
        </Box>
      )}
      <TextField named label="Name" value={row.name} onCommit={(name) => name.trim() && onChange({ name: name.trim() })} />
      <TextField
        named
        label="Category"
        value={row.category}
        placeholder="e.g. Glass/Creak"
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
      <TextField named label="Tags" value={row.tags} placeholder="by spaces" onCommit={(tags) => onChange({ tags })} />
      <Flex justify="space-between" align="center">
        <Box color="dim">Rated</Box>
        <Grade label="Rate" value={row.rating} onChange={(rating) => onChange({ rating })} />
      </Flex>
      <Flex justify="space-between" align="center">
        <Box color="dim" title="How hard it is, 1 to 5">
          Strength{facts && !facts.strength_given ? ", proposed" : ""}
        </Box>
        <Grade label="Strength" value={row.strength ?? 0} onChange={(strength) => onChange({ strength })} />
      </Flex>
      <Flex justify="space-between" align="center">
        <Box color="dim">Mark</Box>
        <Flex gap="5px">
          {MARKS.map((mark) => (
            <Bare
              key={mark}
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
      <TextField named label="Notes" value={facts?.notes ?? ""} onCommit={(notes) => onChange({ notes })} />
      <TextField named label="Rights" value={facts?.rights ?? ""} onCommit={(rights) => onChange({ rights })} />
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
