/** What the library has for a cue: searched, heard in place in time with the film, placed by one press. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { SoundLine } from "../../canvas/SoundLine";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { TextField } from "../../ui/fields";
import { Heading } from "../../ui/frames";

interface Props {
  /** What it is asked with at first. */
  words: string;
  tried: number | null;
  onTry: (sound: number | null) => void;
  onPlace: (sound: number) => void;
  /** Fills a range instead, where there is one. */
  onFill?: (sound: number) => void;
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

export function Candidates({ words, tried, onTry, onPlace, onFill }: Props) {
  const [asked, setAsked] = useState<string | null>(null);
  const query = asked ?? words;
  const found = useFound(query);
  const rows = (found.data?.rows ?? []) as SoundRow[];
  const step = (by: number) => {
    const at = rows.findIndex((row) => row.id === tried);
    const next = rows[Math.max(0, Math.min(rows.length - 1, at + by))];
    if (next) onTry(next.id);
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
      <TextField label="Search for candidates" placeholder="wing, or glass where strength at least 3" value={query} onCommit={setAsked} />
      <Heading>{found.error ? found.error.message : `${found.data?.total ?? 0} candidates; arrows hear them with the film`}</Heading>
      <Box role="listbox" aria-label="Candidates" tabIndex={0} maxH="230px" overflowY="auto" border="1px solid" borderColor="line" borderRadius="8px">
        {rows.map((row) => (
          <Flex
            key={row.id}
            role="option"
            aria-selected={row.id === tried}
            aria-label={row.name}
            align="center"
            gap="7px"
            px="7px"
            h="27px"
            cursor="pointer"
            bg={row.id === tried ? "amberSoft" : undefined}
            _hover={{ bg: row.id === tried ? "amberSoft" : "raised" }}
            onClick={() => onTry(row.id)}
            onDoubleClick={() => onPlace(row.id)}
          >
            <SoundLine sound={row} wave={["40px", "17px"]} />
          </Flex>
        ))}
      </Box>
      <Flex gap="6px" wrap="wrap">
        <Do main disabled={tried === null} onClick={() => tried !== null && onPlace(tried)}>
          Place it
        </Do>
        {onFill && (
          <Do disabled={tried === null} onClick={() => tried !== null && onFill(tried)} hint="Repeats without a seam over the range of the cue">
            Fill the range
          </Do>
        )}
        <Do disabled={tried === null} onClick={() => onTry(null)}>
          Back
        </Do>
      </Flex>
    </Flex>
  );
}
