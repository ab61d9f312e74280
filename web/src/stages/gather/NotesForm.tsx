import { Box, Flex, Grid } from "@chakra-ui/react";
import type { Notes } from "../../listening/recording";
import { TextField } from "../../ui/fields";

const FIELDS = [
  ["place", "Place"],
  ["microphone", "Microphone"],
  ["props", "Props"],
  ["weather", "Weather"],
  ["permission", "Permission"],
  ["notes", "Notes on it"],
] as const;

/** Where and how something was recorded; every sound of the arrival has it and is found by it. */
export function NotesForm({ notes, onChange }: { notes: Notes; onChange: (change: Partial<Notes>) => void }) {
  return (
    <Grid templateColumns="repeat(3, minmax(0, 1fr))" columnGap="10px" rowGap="5px" role="group" aria-label="Notes of the arrival">
      {FIELDS.map(([name, label]) => (
        <Flex key={name} align="center" gap="6px">
          <Box color="dim" fontSize="11px" w="66px" flexShrink={0}>
            {label}
          </Box>
          <TextField label={label} value={notes[name]} onCommit={(text) => onChange({ [name]: text.trim() })} />
        </Flex>
      ))}
    </Grid>
  );
}
