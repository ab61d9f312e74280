/** What the library has for a cue: searched, heard in place in time with the film, placed by one press. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { SearchFields } from "../../bench/SearchFields";
import { SoundLine } from "../../canvas/SoundLine";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Heading } from "../../ui/frames";

/** Something that can be placed. */
export interface Candidate {
  kind: "sound" | "design" | "draw";
  id: number;
  /** What found it: a roll takes others from there. */
  search: string;
}

interface Props {
  /** What it is asked with at first. */
  words: string;
  tried: Candidate | null;
  onTry: (candidate: Candidate | null) => void;
  onPlace: (candidate: Candidate) => void;
  /** Fills a range instead, where there is one. */
  onFill?: (sound: number) => void;
  /** What more can be done with all that is found. */
  more?: (sounds: number[]) => ReactNode;
}

const KINDS = [
  ["sound", "Sounds"],
  ["design", "Designs"],
  ["draw", "Kept variations"],
] as const;

/** Designs of the project, and variations of it that were kept. */
function useMade(kind: Candidate["kind"], words: string) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const made = useQuery({
    queryKey: ["made", library, project],
    enabled: kind !== "sound",
    staleTime: 0,
    queryFn: () => got(api.GET("/api/lib/{library}/picture/made", { params: { path: { library }, query: { project } } })),
  }).data;
  const said = words.toLowerCase().split(/\s+/).filter(Boolean);
  const own = (made ?? []).filter((one) => one.kind === kind);
  const fitting = own.filter((one) => said.some((word) => one.name.toLowerCase().includes(word)));
  // those the words name come first; a project's own are few, so the others follow
  return [...fitting, ...own.filter((one) => !fitting.includes(one))];
}

export function useFound(words: string) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  return useQuery({
    queryKey: ["sounds", library, "candidates", words],
    placeholderData: keepPreviousData,
    queryFn: () =>
      got(
        api.GET("/api/lib/{library}/sounds", {
          params: { path: { library }, query: { q: words, limit: 60, sort: "name", descending: false, offset: 0, project } },
        }),
      ),
  });
}

export function Candidates({ words, tried, onTry, onPlace, onFill, more }: Props) {
  const [asked, setAsked] = useState<string | null>(null);
  const query = asked ?? words;
  const found = useFound(query);
  const [kind, setKind] = useState<Candidate["kind"]>("sound");
  const rows = (found.data?.rows ?? []) as SoundRow[];
  const made = useMade(kind, query);
  const listed: Candidate[] =
    kind === "sound" ? rows.map((row) => ({ kind, id: row.id, search: query })) : made.map((one) => ({ kind, id: one.id, search: "" }));
  const same = (one: Candidate) => tried?.kind === one.kind && tried.id === one.id;
  const step = (by: number) => {
    const next = listed[Math.max(0, Math.min(listed.length - 1, listed.findIndex(same) + by))];
    if (next) onTry(next);
  };
  return (
    <Flex
      direction="column"
      gap="6px"
      onKeyDown={(event) => {
        if ((event.target as HTMLElement).tagName === "INPUT") return;
        if (event.key === "ArrowDown" || event.key === "ArrowUp") {
          event.preventDefault();
          event.stopPropagation();
          step(event.key === "ArrowDown" ? 1 : -1);
        } else if (event.key === "Enter" && tried !== null) {
          event.preventDefault();
          event.stopPropagation();
          onPlace(tried);
        }
      }}
    >
      <SearchFields label="Search for candidates" placeholder="wing, or glass where pitch under 200 Hz" search={query} onSearch={setAsked} />
      <Choose label="Kind of candidates" value={kind} options={KINDS} onChange={(next) => setKind(next as Candidate["kind"])} />
      <Heading>
        {found.error
          ? found.error.message
          : `${kind === "sound" ? (found.data?.total ?? 0) : made.length} candidates; arrows hear them with the film`}
      </Heading>
      <Box role="listbox" aria-label="Candidates" tabIndex={0} maxH="230px" overflowY="auto" border="1px solid" borderColor="line" borderRadius="8px">
        {listed.map((one, i) => (
          <Flex
            key={`${one.kind} ${one.id}`}
            role="option"
            aria-selected={same(one)}
            aria-label={kind === "sound" ? rows[i].name : made[i].name}
            align="center"
            gap="7px"
            px="7px"
            h="27px"
            cursor="pointer"
            bg={same(one) ? "amberSoft" : undefined}
            _hover={{ bg: same(one) ? "amberSoft" : "raised" }}
            onClick={() => onTry(one)}
            onDoubleClick={() => onPlace(one)}
          >
            {kind === "sound" ? (
              <SoundLine sound={rows[i]} wave={["40px", 17]} />
            ) : (
              <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {made[i].name}
              </Box>
            )}
          </Flex>
        ))}
      </Box>
      <Flex gap="6px" wrap="wrap">
        <Do main disabled={tried === null} onClick={() => tried !== null && onPlace(tried)}>
          Place it
        </Do>
        {onFill && (
          <Do
            disabled={tried?.kind !== "sound"}
            onClick={() => tried !== null && onFill(tried.id)}
            hint="Repeats without a seam over the range of the cue"
          >
            Fill the range
          </Do>
        )}
        <Do disabled={tried === null} onClick={() => onTry(null)}>
          Back
        </Do>
      </Flex>
      {kind === "sound" && more?.(rows.map((row) => row.id))}
    </Flex>
  );
}
