/** Other sources for a layer: candidates from a search, heard in place, in time and through the layer's chain; rolled; replaced everywhere. */
import { Box, chakra, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Member, type SoundRow } from "../api/client";
import { SoundLine } from "../canvas/SoundLine";
import { queries, useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { Heading } from "../ui/frames";
import { complain, tell } from "../ui/messages";
import { SearchFields } from "./SearchFields";

interface Props {
  member: Member;
  tried: number | null;
  keepLength: boolean;
  onKeepLength: (keep: boolean) => void;
  onTry: (sound: number | null) => void;
  onTake: () => void;
  onRoll: () => void;
  onEdit: (values: Partial<Member>) => void;
}

export function SourcePanel({ member, tried, keepLength, onKeepLength, onTry, onTake, onRoll, onEdit }: Props) {
  const library = useShared((state) => state.library);
  const [everywhere, setEverywhere] = useState(false);
  const found = useQuery({
    queryKey: ["sounds", library, "sources", member.search],
    placeholderData: keepPreviousData,
    queryFn: () =>
      got(
        api.GET("/api/lib/{library}/sounds", {
          params: { path: { library }, query: { q: member.search, limit: 60, sort: "name", descending: false, offset: 0 } },
        }),
      ),
  });
  const rows = (found.data?.rows ?? []) as SoundRow[];
  const step = (by: number) => {
    const at = rows.findIndex((row) => row.id === tried);
    const next = rows[Math.max(0, Math.min(rows.length - 1, at + by))];
    if (next) onTry(next.id);
  };
  const replaceAll = async () => {
    const by = rows.find((row) => row.id === tried);
    if (!by || member.origin?.kind !== "sound") return;
    try {
      const done = await got(
        api.POST("/api/lib/{library}/stack/replace", {
          params: { path: { library } },
          body: { sound: member.origin.id, by: by.id, keep_length: keepLength },
        }),
      );
      for (const key of ["designs", "scenes"]) void queries.invalidateQueries({ queryKey: [key] });
      tell(
        done.length
          ? `${by.name} stands in ${done.map((one) => `${one.name} (${one.layers})`).join(", ")} now.`
          : "No design or scene has that sound where it is not locked.",
      );
      onTake();
    } catch (error) {
      complain(error);
    }
    setEverywhere(false);
  };
  return (
    <Flex
      direction="column"
      gap="7px"
      onKeyDown={(event) => {
        if ((event.target as HTMLElement).tagName === "INPUT" || (event.target as HTMLElement).tagName === "SELECT") return;
        if (event.key === "ArrowDown" || event.key === "ArrowUp") {
          event.preventDefault();
          event.stopPropagation();
          step(event.key === "ArrowDown" ? 1 : -1);
        } else if (event.key === "Enter" && tried !== null) {
          event.preventDefault();
          event.stopPropagation();
          onTake();
        }
      }}
    >
      <SearchFields
        label="Search for sources"
        placeholder="brass latch, or metal where rating at least 3"
        search={member.search}
        onSearch={(search) => onEdit({ search })}
      />
      <Flex gap="6px" wrap="wrap" align="center">
        <Do act="roll" disabled={member.locked || !member.search.trim()} onClick={onRoll} hint="Another source at random from this search">
          Roll
        </Do>
        <Do on={keepLength} onClick={() => onKeepLength(!keepLength)} hint="The new source is stretched to last as long as the old one">
          Same length
        </Do>
      </Flex>
      <Heading>{found.error ? found.error.message : `${found.data?.total ?? 0} candidates; arrows hear them in place`}</Heading>
      <Box role="listbox" aria-label="Candidates" tabIndex={0} maxH="252px" overflowY="auto" border="1px solid" borderColor="line" borderRadius="8px">
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
            onDoubleClick={onTake}
          >
            <SoundLine sound={row} wave={["46px", 17]} colour={row.id === member.origin?.id ? "amber" : undefined} />
          </Flex>
        ))}
      </Box>
      <Flex gap="6px" wrap="wrap">
        <Do main disabled={tried === null || member.locked} onClick={onTake}>
          Take it
        </Do>
        <Do disabled={tried === null} onClick={() => onTry(null)}>
          Back
        </Do>
        <chakra.span>
          <Do
            on={everywhere}
            disabled={tried === null || member.origin?.kind !== "sound"}
            onClick={() => (everywhere ? void replaceAll() : setEverywhere(true))}
            hint="In every design and scene that has the old sound where it is not locked"
          >
            {everywhere ? "Really everywhere" : "Everywhere"}
          </Do>
        </chakra.span>
      </Flex>
    </Flex>
  );
}
