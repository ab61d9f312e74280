import { Flex } from "@chakra-ui/react";
import { TextField } from "../../app/parts";
import type { Notes } from "../../listening/recording";

const FIELDS = [
  ["place", "Place", "Place"],
  ["microphone", "Microphone", "Microphone"],
  ["props", "Props", "Props"],
  ["weather", "Weather", "Weather"],
  ["permission", "Permission", "People's permission"],
  ["notes", "Notes on it", "Notes"],
] as const;

/** Where and how something was recorded; every sound of the arrival has it and is found by it. */
export function NotesForm({ notes, onChange }: { notes: Notes; onChange: (notes: Notes) => void }) {
  return (
    <Flex gap="6px" wrap="wrap" role="group" aria-label="Notes of the arrival">
      {FIELDS.map(([name, label, placeholder]) => (
        <Flex key={name} flex="1 1 150px" minW="120px">
          <TextField label={label} placeholder={placeholder} value={notes[name]} onCommit={(text) => onChange({ ...notes, [name]: text.trim() })} />
        </Flex>
      ))}
    </Flex>
  );
}
