/** Conditions of a search: each is edited as it reads, and the text of the search follows. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input } from "../../ui/fields";
import { complain } from "../../ui/messages";
import { ask, type Condition, type Search } from "./sounds";

type Kind = "number" | "text" | "choice" | "date" | "truth" | "key";

/** Fields a condition may name, as oskren/core/words/conditions.py has them. */
const FIELDS: Record<string, [Kind, string]> = {
  length: ["number", "s"],
  loudness: ["number", "LUFS"],
  peak: ["number", "dBFS"],
  brightness: ["number", "Hz"],
  bandwidth: ["number", "Hz"],
  pitch: ["number", "Hz"],
  noise: ["number", "dBFS"],
  rating: ["number", ""],
  strength: ["number", ""],
  rate: ["number", "kHz"],
  bits: ["number", ""],
  channels: ["number", ""],
  sure: ["number", "%"],
  name: ["text", ""],
  notes: ["text", ""],
  rights: ["text", ""],
  folder: ["text", ""],
  place: ["text", ""],
  microphone: ["text", ""],
  props: ["text", ""],
  weather: ["text", ""],
  permission: ["text", ""],
  category: ["choice", ""],
  tag: ["choice", ""],
  mark: ["choice", ""],
  format: ["choice", ""],
  layout: ["choice", ""],
  kind: ["choice", ""],
  set: ["choice", ""],
  arrival: ["choice", ""],
  used: ["choice", ""],
  anchor: ["choice", ""],
  key: ["key", ""],
  added: ["date", ""],
  recorded: ["date", ""],
  mended: ["truth", ""],
  missing: ["truth", ""],
  clipped: ["truth", ""],
};
const HOWS: Record<Kind, Condition["how"][]> = {
  number: ["under", "over", "is", "at least", "at most", "between"],
  text: ["has", "is", "begins with"],
  choice: ["is"],
  date: ["after", "before", "is", "between"],
  truth: ["is"],
  key: ["agrees with", "is"],
};
const FIRST: Record<Kind, string> = { number: "1", text: "glass", choice: "", date: "2026", truth: "yes", key: "A minor" };
const NOTES = ["C", "C#", "D", "Eb", "E", "F", "F#", "G", "Ab", "A", "Bb", "B"];
const KEYS = ["major", "minor"].flatMap((mode) => NOTES.map((note) => `${note} ${mode}`));

/** Ask for other conditions; the server says what does not go together, and the text of the search follows. */
export async function askFor(search: Search) {
  const { library } = useShared.getState();
  try {
    const text = await got(api.POST("/api/lib/{library}/search/text", { params: { path: { library } }, body: search }));
    ask({ q: text.title });
  } catch (error) {
    complain(error);
  }
}

/** One condition: its field, its comparison, its values. */
export function OneCondition({ search, at, known }: { search: Search; at: number; known: (field: string) => string[] }) {
  const condition = search.conditions[at];
  const own = useOwn();
  const fields = { ...FIELDS, ...own };
  const [kind, unit] = fields[condition.field] ?? ["text", ""];
  const put = (change: Partial<Condition> | null) =>
    void askFor({
      ...search,
      conditions: search.conditions.flatMap((one, i) => (i !== at ? [one] : change ? [{ ...one, ...change }] : [])),
    });
  const choose = (field: string) => {
    const [next] = fields[field];
    put({ field, how: HOWS[next][0], values: [known(field)[0] ?? (field === "used" ? "here" : FIRST[next] || "none")] });
  };
  const value = (place: number) => {
    const commit = (text: string) => text.trim() && put({ values: condition.values.map((one, i) => (i === place ? text.trim() : one)) });
    const options =
      kind === "key" ? KEYS : kind === "truth" ? ["yes", "no"] : condition.field === "used" ? ["here", "elsewhere", "no"] : known(condition.field);
    if (options.length && kind !== "text" && kind !== "number" && kind !== "date")
      return (
        <Choose
          key={place}
          label={`Value ${place + 1} of ${condition.field}`}
          value={condition.values[place]}
          options={[...new Set([...options, condition.values[place]])].map((one) => [one, one] as const)}
          onChange={commit}
          maxW="130px"
        />
      );
    return (
      <Input
        key={`${place} ${condition.values[place]}`}
        label={`Value ${place + 1} of ${condition.field}`}
        mono
        w="84px"
        py="3px"
        defaultValue={condition.values[place]}
        onBlur={(event) => event.target.value !== condition.values[place] && commit(event.target.value)}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
      />
    );
  };
  return (
    <Flex align="center" gap="4px" bg="raised" border="1px solid" borderColor="line" borderRadius="8px" px="6px" py="3px">
      <Bare
        aria-pressed={condition.inverted}
        title="Turn this condition round"
        color={condition.inverted ? "coral" : "dim"}
        textDecoration={condition.inverted ? undefined : "line-through"}
        aria-label={`not ${condition.field}`}
        fontSize="11px"
        px="3px"
        cursor="pointer"
        onClick={() => put({ inverted: !condition.inverted })}
      >
        not
      </Bare>
      <Choose label="Field" value={condition.field} options={Object.keys(fields).map((name) => [name, name] as const)} onChange={choose} />
      {HOWS[kind].length > 1 && (
        <Choose
          label={`Comparison of ${condition.field}`}
          value={condition.how}
          options={HOWS[kind].map((how) => [how, how] as const)}
          onChange={(how) =>
            put({
              how: how as Condition["how"],
              values: how === "between" ? [condition.values[0], condition.values[1] ?? condition.values[0]] : condition.values.slice(0, 1),
            })
          }
        />
      )}
      {condition.values.map((_, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: values are a plain list, two may be the same
        <Flex key={place} align="center" gap="4px">
          {place > 0 && <Box color="dim">{condition.how === "between" ? "and" : "or"}</Box>}
          {value(place)}
        </Flex>
      ))}
      {unit && (
        <Box color="dim" fontSize="11px">
          {unit}
        </Box>
      )}
      {condition.how !== "between" && kind !== "truth" && (
        <Do
          quiet
          hint="Another value that will do too"
          onClick={() => put({ values: [...condition.values, known(condition.field)[0] ?? (FIRST[kind] || "none")] })}
        >
          or
        </Do>
      )}
      <Do quiet hint="Take this condition away" onClick={() => put(null)}>
        ×
      </Do>
    </Flex>
  );
}

/** Fields of the user's own, by kind. */
function useOwn(): Record<string, [Kind, string]> {
  const library = useShared((state) => state.library);
  const fields = useQuery({
    queryKey: ["fields", library],
    queryFn: () => got(api.GET("/api/lib/{library}/fields", { params: { path: { library } } })),
  });
  return Object.fromEntries((fields.data ?? []).map((field) => [field.name, [field.kind, ""]]));
}
