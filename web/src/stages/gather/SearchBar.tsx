import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input, NameInput } from "../../ui/fields";
import { complain, tell } from "../../ui/messages";
import { askFor, OneCondition } from "./Conditions";
import { ANYTHING, type Asked, ask, type Search, useGather } from "./sounds";

/** How long typing rests before it is asked for. */
const PAUSE_MS = 90;

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
    try {
      await got(api.POST("/api/lib/{library}/searches", { params: { path: { library } }, body: { name, asked: { ...asked } } }));
      void queries.invalidateQueries({ queryKey: ["searches"] });
      tell(`The search ${name} is kept.`);
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
          <NameInput label="Name of the search" w="130px" onNamed={(name) => void keep(name)} onLeave={() => setNaming(false)} />
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
          {!error && search.conditions.map((one, at) => <OneCondition key={JSON.stringify(one)} search={search} at={at} known={known} />)}
        </Flex>
      )}
    </Flex>
  );
}
