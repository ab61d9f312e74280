import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input } from "../../ui/fields";
import { complain, tell } from "../../ui/messages";
import { ANYTHING, type Asked, ask, type Condition, type Search, useGather } from "./sounds";

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

/** How long typing rests before it is asked for. */
const PAUSE_MS = 90;

/** Ask for other conditions; the server says what does not go together, and the text of the search follows. */
async function askFor(search: Search) {
  const { library } = useShared.getState();
  try {
    const text = await got(api.POST("/api/lib/{library}/search/text", { params: { path: { library } }, body: search }));
    ask({ q: text.title });
  } catch (error) {
    complain(error);
  }
}

function One({ search, at, known }: { search: Search; at: number; known: (field: string) => string[] }) {
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

interface Props {
  asked: Asked;
  search: Search;
  total: number;
  error: string;
  facets: Record<string, Record<string, number>>;
  field: RefObject<HTMLInputElement | null>;
  /** Down or Enter: whoever types and presses at once means the first row of what was typed. */
  onDown: (text: string) => void;
}

/** The search: words, conditions that read as plain words, and searches kept by name. */
export function SearchBar({ asked, search, total, error, facets, field, onDown }: Props) {
  const library = useShared((state) => state.library);
  const [naming, setNaming] = useState(false);
  const [typed, setTyped] = useState(asked.q);
  /** The question that typing asked last; any other one comes from elsewhere and is written into the field. */
  const own = useRef(asked.q);
  const pause = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  useEffect(() => {
    if (own.current === asked.q) return;
    clearTimeout(pause.current);
    own.current = asked.q;
    setTyped(asked.q);
  }, [asked.q]);
  useEffect(() => () => clearTimeout(pause.current), []);
  const askTyped = (text: string) => {
    clearTimeout(pause.current);
    own.current = text;
    if (text !== useGather.getState().asked.q) ask({ q: text });
  };
  const type = (text: string) => {
    setTyped(text);
    clearTimeout(pause.current);
    // one letter alone waits for the next
    if (text.trim().length !== 1) pause.current = setTimeout(() => askTyped(text), PAUSE_MS);
  };
  const saved = useQuery({
    queryKey: ["searches", library],
    queryFn: () => got(api.GET("/api/lib/{library}/searches", { params: { path: { library } } })),
  });
  const any = asked.q || asked.like || asked.trash || Object.values(asked.facets).some((chosen) => chosen.length);
  const keep = async (name: string) => {
    setNaming(false);
    if (!name.trim()) return;
    try {
      await got(api.POST("/api/lib/{library}/searches", { params: { path: { library } }, body: { name: name.trim(), asked: { ...asked } } }));
      void queries.invalidateQueries({ queryKey: ["searches"] });
      tell(`The search ${name.trim()} is kept.`);
    } catch (failure) {
      complain(failure);
    }
  };
  const forget = async (number: number) => {
    await got(api.DELETE("/api/lib/{library}/searches/{id}", { params: { path: { library, id: number } } })).catch(complain);
    void queries.invalidateQueries({ queryKey: ["searches"] });
  };
  const sets = useQuery({ queryKey: ["sets", library], queryFn: () => got(api.GET("/api/lib/{library}/sets", { params: { path: { library } } })) });
  const known = (name: string) => (name === "set" ? (sets.data ?? []).map((set) => set.name) : Object.keys(facets[name] ?? {}).filter(Boolean));
  const current = saved.data?.find((one) => JSON.stringify({ ...ANYTHING, ...one.asked }) === JSON.stringify(asked));
  return (
    <Flex direction="column" flex={1} minW={0} gap="6px">
      <Flex gap="8px" align="center">
        <Flex
          flex={1}
          align="center"
          bg="ground"
          border="1px solid"
          borderColor={error ? "coral" : typed ? "amber" : "line"}
          borderRadius="8px"
          px="12px"
          h="34px"
          gap="8px"
          minW={0}
        >
          <Input
            ref={field}
            label="Search the sounds"
            aria-invalid={!!error}
            placeholder='Words, "a phrase", -without, this or that; glass where length under 2 s'
            value={typed}
            onChange={(event) => type(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "ArrowDown" || event.key === "Enter") {
                event.currentTarget.blur();
                onDown(typed);
                askTyped(typed);
              } else if (event.key === "Escape") event.currentTarget.blur();
            }}
            flex={1}
            px={0}
            border="none"
            bg="transparent"
            outline="none"
          />
          <Box color="dim" fontFamily="mono" fontSize="12px" data-testid="total" whiteSpace="nowrap">
            {total} {total === 1 ? "sound" : "sounds"}
          </Box>
          {any && (
            <Do quiet onClick={() => ask(ANYTHING)} hint="Forget the search and all filters">
              Clear
            </Do>
          )}
        </Flex>
        <Do
          hint="Add a condition on any field"
          onClick={() =>
            void askFor({ ...search, conditions: [...search.conditions, { field: "length", how: "under", values: ["2 s"], inverted: false }] })
          }
        >
          Condition
        </Do>
        {naming ? (
          <Input
            label="Name of the search"
            autoFocus
            placeholder="Name, then Enter"
            w="130px"
            onBlur={() => setNaming(false)}
            onKeyDown={(event) => {
              if (event.key === "Enter") void keep(event.currentTarget.value);
              if (event.key === "Escape") setNaming(false);
            }}
          />
        ) : (
          <Choose
            label="Saved searches"
            value={current ? String(current.id) : ""}
            maxW="120px"
            options={[
              ["", saved.data?.length ? "Searches" : "No searches yet"],
              ...(saved.data ?? []).map((one) => [String(one.id), one.name] as const),
              ["+", "Keep this search …"],
              ...(current ? ([["-", `Forget ${current.name}`]] as const) : []),
            ]}
            onChange={(chosen) => {
              if (chosen === "+") setNaming(true);
              else if (chosen === "-" && current) void forget(current.id);
              else {
                const one = saved.data?.find((each) => String(each.id) === chosen);
                if (one) useGather.setState({ asked: { ...ANYTHING, ...(one.asked as Partial<Asked>) }, chosen: [], all: false });
              }
            }}
          />
        )}
      </Flex>
      {(error || search.conditions.length > 0 || asked.like || asked.trash) && (
        <Flex gap="6px" wrap="wrap" align="center">
          {error && (
            <Box role="alert" color="coral" fontSize="12px">
              {error}
            </Box>
          )}
          {asked.trash && <Box color="coral">In the trash</Box>}
          {asked.like && (
            <Do on onClick={() => ask({ like: null })} hint="Back to the order of the table">
              like {asked.like.name} ×
            </Do>
          )}
          {!error && search.conditions.map((one, at) => <One key={JSON.stringify(one)} search={search} at={at} known={known} />)}
        </Flex>
      )}
    </Flex>
  );
}
