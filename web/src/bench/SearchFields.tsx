/** A search for sounds that may take a place: its words, and how strong and how long they are, written into the search. */
import { Flex } from "@chakra-ui/react";
import { Choose } from "../ui/choices";
import { TextField } from "../ui/fields";

const STRENGTHS = ["any strength", "1 to 2", "2 to 4", "4 to 5"] as const;
const LENGTHS = ["any length", "under 0.5 s", "under 2 s", "over 2 s"] as const;

/** A search with its limits written into it, in the language of the search. */
export function limited(words: string, strength: string, length: string): string {
  const plain = words.split(/\bwhere\b/)[0].trim();
  const conditions = [
    strength.startsWith("any") ? "" : `strength between ${strength.replace(" to ", " and ")}`,
    length.startsWith("any") ? "" : `length ${length}`,
  ].filter(Boolean);
  return conditions.length ? `${plain} where ${conditions.join(" and ")}`.trim() : plain;
}

interface Props {
  label: string;
  placeholder: string;
  search: string;
  onSearch: (search: string) => void;
}

export function SearchFields({ label, placeholder, search, onSearch }: Props) {
  const [, rest = ""] = search.split(/\bwhere\b/);
  const strength = /strength between (\d) and (\d)/.exec(rest);
  const length = /length ((?:under|over) [\d.]+ s)/.exec(rest);
  const said = { strength: strength ? `${strength[1]} to ${strength[2]}` : STRENGTHS[0], length: length?.[1] ?? LENGTHS[0] };
  return (
    <>
      <TextField label={label} placeholder={placeholder} value={search} onCommit={onSearch} />
      <Flex gap="6px">
        <Choose
          label="Strength"
          value={said.strength}
          options={[...new Set([...STRENGTHS, said.strength])].map((one) => [one, one] as const)}
          onChange={(value) => onSearch(limited(search, value, said.length))}
        />
        <Choose
          label="Length"
          value={said.length}
          options={[...new Set([...LENGTHS, said.length])].map((one) => [one, one] as const)}
          onChange={(value) => onSearch(limited(search, said.strength, value))}
        />
      </Flex>
    </>
  );
}
