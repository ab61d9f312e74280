import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../../api/client";
import { Do, Heading } from "../../app/parts";
import { useShared } from "../../app/store";
import type { Asked } from "./sounds";

type Counts = Record<string, Record<string, number>>;

const WORDS: Record<string, (value: string) => string> = {
  channels: (value) => (value === "1" ? "Mono" : value === "2" ? "Stereo" : `${value} channels`),
  rate: (value) => `${Number(value) / 1000} kHz`,
  kind: (value) => value[0].toUpperCase() + value.slice(1),
};

function Choice({ name, count, on, deep, onPick }: { name: string; count: number; on: boolean; deep?: boolean; onPick: () => void }) {
  return (
    <chakra.button
      type="button"
      aria-pressed={on}
      onClick={onPick}
      display="flex"
      justifyContent="space-between"
      gap="6px"
      w="100%"
      textAlign="left"
      pl={deep ? "18px" : "8px"}
      pr="6px"
      py="2px"
      borderRadius="6px"
      bg={on ? "raised" : undefined}
      color={on ? "amber" : deep ? "dim" : "chalk"}
      cursor="pointer"
      _hover={{ bg: "raised" }}
    >
      <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
        {name}
      </Box>
      <Box fontFamily="mono" fontSize="11px" color="dim">
        {count}
      </Box>
    </chakra.button>
  );
}

function Arrivals({ counts, asked, toggle }: { counts: Record<string, number>; asked: Asked; toggle: (facet: string, value: string) => void }) {
  const library = useShared((state) => state.library);
  const [all, setAll] = useState(false);
  const [reading, setReading] = useState<number | null>(null);
  const arrivals = useQuery({
    queryKey: ["arrivals", library],
    queryFn: () => got(api.GET("/api/lib/{library}/arrivals", { params: { path: { library } } })),
  });
  const shown = arrivals.data?.slice(0, all ? 200 : 4) ?? [];
  return (
    <Box>
      <Heading>Arrivals, newest first</Heading>
      {shown.map((arrival) => (
        <Box key={arrival.id}>
          <Choice
            name={arrival.name}
            count={counts[String(arrival.id)] ?? 0}
            on={!!asked.facets.arrival?.includes(String(arrival.id))}
            onPick={() => toggle("arrival", String(arrival.id))}
          />
          {arrival.skipped.length > 0 && (
            <chakra.button
              type="button"
              color="coral"
              fontSize="12px"
              pl="8px"
              cursor="pointer"
              aria-expanded={reading === arrival.id}
              onClick={() => setReading(reading === arrival.id ? null : arrival.id)}
            >
              {arrival.skipped.length} skipped: {reading === arrival.id ? "close" : "why"}
            </chakra.button>
          )}
          {reading === arrival.id && (
            <Box bg="ground" borderRadius="6px" p="7px" fontSize="11px" maxH="220px" overflowY="auto" data-testid="skipped">
              {arrival.skipped.map((one) => (
                <Box key={one.path} mb="6px" overflowWrap="anywhere">
                  <Box color="chalk">{one.path.split("/").slice(-1)[0]}</Box>
                  <Box color="dim">{one.reason}</Box>
                </Box>
              ))}
            </Box>
          )}
        </Box>
      ))}
      {(arrivals.data?.length ?? 0) > 4 && (
        <Do quiet onClick={() => setAll(!all)}>
          <Box as="span" color="dim" fontSize="12px">
            {all ? "fewer" : `all ${arrivals.data?.length}`}
          </Box>
        </Do>
      )}
    </Box>
  );
}

export function Facets({ facets, asked, onAsk }: { facets: Counts; asked: Asked; onAsk: (asked: Asked) => void }) {
  const toggle = (facet: string, value: string) => {
    const now = asked.facets[facet] ?? [];
    const next = now.includes(value) ? now.filter((one) => one !== value) : [...now, value];
    onAsk({ ...asked, facets: { ...asked.facets, [facet]: next } });
  };
  const tops: Record<string, { total: number; subs: [string, number][] }> = {};
  for (const [path, count] of Object.entries(facets.category ?? {})) {
    const [top, sub] = path.split("/", 2);
    tops[top] ??= { total: 0, subs: [] };
    tops[top].total += count;
    if (sub) tops[top].subs.push([path, count]);
  }
  const any = Object.values(asked.facets).some((chosen) => chosen.length);
  return (
    <Flex
      direction="column"
      as="section"
      aria-label="Filters"
      w="176px"
      flexShrink={0}
      bg="sheet"
      borderRight="1px solid"
      borderColor="line"
      p="10px"
      gap="8px"
      overflowY="auto"
    >
      {any && <Do onClick={() => onAsk({ ...asked, facets: {} })}>Clear filters</Do>}
      <Arrivals counts={facets.arrival ?? {}} asked={asked} toggle={toggle} />
      <Box>
        <Heading>Category</Heading>
        {Object.entries(tops).map(([top, { total, subs }]) => (
          <Box key={top}>
            <Choice name={top || "None yet"} count={total} on={!!asked.facets.category?.includes(top)} onPick={() => toggle("category", top)} />
            {subs.map(([path, count]) => (
              <Choice
                key={path}
                deep
                name={path.split("/")[1]}
                count={count}
                on={!!asked.facets.category?.includes(path)}
                onPick={() => toggle("category", path)}
              />
            ))}
          </Box>
        ))}
      </Box>
      {(["kind", "channels", "rate"] as const).map((facet) => (
        <Box key={facet}>
          <Heading>{{ kind: "Kind", channels: "Channels", rate: "Sample rate" }[facet]}</Heading>
          {Object.entries(facets[facet] ?? {}).map(([value, count]) => (
            <Choice
              key={value}
              name={WORDS[facet](value)}
              count={count}
              on={!!asked.facets[facet]?.includes(value)}
              onPick={() => toggle(facet, value)}
            />
          ))}
        </Box>
      ))}
    </Flex>
  );
}
