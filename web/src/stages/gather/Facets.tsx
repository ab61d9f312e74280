import { Accordion, Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, got } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { NameInput } from "../../ui/fields";
import { Heading } from "../../ui/frames";
import { complain } from "../../ui/messages";
import { stale } from "./describing";
import { droppedRows } from "./dragging";
import { newSet, putInSet } from "./sets";
import { ANYTHING, type Asked, ask, toggleFacet } from "./sounds";
import { Tree } from "./Tree";

type Counts = Record<string, Record<string, number>>;

const TITLES: Record<string, string> = {
  used: "Used",
  rating: "Rating",
  mark: "Mark",
  strength: "Strength",
  tag: "Tags",
  kind: "Kind",
  layout: "Channels",
  rate: "Sample rate",
  format: "Format",
  key: "Key",
};
const WORDS: Record<string, (value: string) => string> = {
  used: (value) => ({ here: "in this project", elsewhere: "in another project", no: "nowhere yet" })[value] ?? value,
  rating: (value) => (value === "0" ? "not rated" : `rated ${value}`),
  mark: (value) => value || "no mark",
  strength: (value) => `${value} of 5`,
  rate: (value) => `${Number(value) / 1000} kHz`,
};

interface ChoiceProps {
  name: string;
  count?: number;
  on: boolean;
  onPick: () => void;
  swatch?: string;
  onRows?: (rows: number[]) => void;
  children?: ReactNode;
}

/** One value to narrow by: plain elements like the table's rows, since a hundred of them stand here and are counted anew with every word typed. */
function Choice({ name, count, on, onPick, swatch, onRows, children }: ChoiceProps) {
  const [over, setOver] = useState(false);
  return (
    <div className="facet" data-on={on || undefined} data-over={over || undefined}>
      <button
        type="button"
        aria-pressed={on}
        onClick={onPick}
        onDragOver={(event) => {
          if (!onRows) return;
          event.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(event) => {
          setOver(false);
          const rows = droppedRows(event.dataTransfer);
          if (!rows || !onRows) return;
          event.preventDefault();
          event.stopPropagation();
          onRows(rows);
        }}
      >
        {swatch && <i data-mark={swatch} />}
        <span title={name}>{name}</span>
        {count !== undefined && <small>{count}</small>}
      </button>
      {children}
    </div>
  );
}

/** A facet that can be folded away. */
function Folded({ name, children }: { name: string; children: ReactNode }) {
  return (
    <Accordion.Item value={name}>
      <Accordion.ItemTrigger>
        {titled(name)}
        <Accordion.ItemIndicator />
      </Accordion.ItemTrigger>
      <Accordion.ItemContent>
        <Accordion.ItemBody>{children}</Accordion.ItemBody>
      </Accordion.ItemContent>
    </Accordion.Item>
  );
}

const FOLDABLE = ["folder", ...Object.keys(TITLES)];
const titled = (name: string) => TITLES[name] ?? "Folder";
const shut = (name: string) => localStorage.getItem(`facet ${titled(name)}`) === "closed";

/** Facets, each folded as it was left; one that narrows what is shown stays open. */
function Foldable({ busy, children }: { busy: string[]; children: ReactNode }) {
  const [open, setOpen] = useState(() => FOLDABLE.filter((name) => !shut(name)));
  return (
    <Accordion.Root
      multiple
      lazyMount
      unmountOnExit
      value={[...new Set([...open, ...busy])]}
      onValueChange={(now) => {
        for (const name of FOLDABLE) localStorage.setItem(`facet ${titled(name)}`, now.value.includes(name) ? "open" : "closed");
        setOpen(now.value);
      }}
    >
      {children}
    </Accordion.Root>
  );
}

function Arrivals({ counts, asked }: { counts: Record<string, number>; asked: Asked }) {
  const library = useShared((state) => state.library);
  const [all, setAll] = useState(false);
  const [reading, setReading] = useState<number | null>(null);
  const arrivals = useQuery({
    queryKey: ["arrivals", library],
    queryFn: () => got(api.GET("/api/lib/{library}/arrivals", { params: { path: { library } } })),
  });
  const shown = arrivals.data?.slice(0, all ? 200 : 3) ?? [];
  return (
    <Box>
      <Heading>Arrivals, newest first</Heading>
      {shown.map((arrival) => (
        <Box key={arrival.id}>
          <Choice
            name={arrival.name}
            count={counts[String(arrival.id)] ?? 0}
            on={!!asked.facets.arrival?.includes(String(arrival.id))}
            onPick={() => toggleFacet("arrival", String(arrival.id))}
          />
          {arrival.skipped.length > 0 && (
            <Bare
              color="coral"
              fontSize="12px"
              pl="8px"
              cursor="pointer"
              aria-expanded={reading === arrival.id}
              onClick={() => setReading(reading === arrival.id ? null : arrival.id)}
            >
              {arrival.skipped.length} skipped: {reading === arrival.id ? "close" : "why"}
            </Bare>
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
      {(arrivals.data?.length ?? 0) > 3 && (
        <Do quiet onClick={() => setAll(!all)}>
          <Box as="span" color="dim" fontSize="12px">
            {all ? "fewer" : `all ${arrivals.data?.length}`}
          </Box>
        </Do>
      )}
    </Box>
  );
}

function Sets({ counts, asked }: { counts: Record<string, number>; asked: Asked }) {
  const library = useShared((state) => state.library);
  const [naming, setNaming] = useState<number | "new" | null>(null);
  const sets = useQuery({ queryKey: ["sets", library], queryFn: () => got(api.GET("/api/lib/{library}/sets", { params: { path: { library } } })) });
  const drop = async (number: number) => {
    await got(api.DELETE("/api/lib/{library}/sets/{id}", { params: { path: { library, id: number } } })).catch(complain);
    if (asked.facets.set?.includes(String(number))) ask({ facets: { ...asked.facets, set: [] }, sort: "name" });
    stale();
  };
  const name = (number: number | "new", before = "") => (
    <NameInput
      label={number === "new" ? "Name of the new set" : `New name of ${before}`}
      defaultValue={before}
      w="100%"
      py="1px"
      onLeave={() => setNaming(null)}
      onNamed={(text) => {
        if (number === "new") void newSet(text);
        else
          void got(
            api.PATCH("/api/lib/{library}/sets/{id}", {
              params: { path: { library, id: number } },
              body: { ids: [], all_of: null, name: text, before: null, take_out: [] },
            }),
          ).then(stale, complain);
      }}
    />
  );
  return (
    <Box>
      <Flex justify="space-between" align="center">
        <Heading>Sets</Heading>
        <Do quiet onClick={() => setNaming("new")} hint="A new set of the chosen rows, or an empty one" fontSize="11px">
          New
        </Do>
      </Flex>
      {naming === "new" && name("new")}
      {sets.data?.map((set) => {
        const on = !!asked.facets.set?.includes(String(set.id));
        return naming === set.id ? (
          <Box key={set.id}>{name(set.id, set.name)}</Box>
        ) : (
          <Choice
            key={set.id}
            name={set.name}
            count={counts[String(set.id)] ?? 0}
            on={on}
            onPick={() => toggleFacet("set", String(set.id))}
            onRows={(rows) => void putInSet(set.id, rows)}
          >
            {on && (
              <>
                <Do quiet hint={`Rename ${set.name}`} onClick={() => setNaming(set.id)} fontSize="10px">
                  name
                </Do>
                <Do quiet hint={`Delete the set ${set.name}; its sounds stay`} onClick={() => void drop(set.id)}>
                  ×
                </Do>
              </>
            )}
          </Choice>
        );
      })}
      {sets.data?.length === 0 && naming !== "new" && (
        <Box color="dim" fontSize="12px" pl="8px">
          drop rows on a set
        </Box>
      )}
    </Box>
  );
}

function Folders({ counts, asked }: { counts: Record<string, number>; asked: Asked }) {
  const library = useShared((state) => state.library);
  const settings = useQuery({
    queryKey: ["settings", library],
    queryFn: () => got(api.GET("/api/lib/{library}/settings", { params: { path: { library } } })),
  });
  const pinned = settings.data?.pinned ?? [];
  const pin = async (folder: string) => {
    if (!settings.data) return;
    const next = pinned.includes(folder) ? pinned.filter((one) => one !== folder) : [...pinned, folder];
    await got(api.PUT("/api/lib/{library}/settings", { params: { path: { library } }, body: { ...settings.data, pinned: next } })).catch(complain);
    void queries.invalidateQueries({ queryKey: ["settings"] });
  };
  const within = (folder: string) =>
    Object.entries(counts).reduce((sum, [one, count]) => sum + (one === folder || one.startsWith(`${folder}/`) ? count : 0), 0);
  const others = Object.keys(counts).filter((one) => one && !pinned.includes(one));
  const row = (folder: string) => (
    <Choice
      key={folder}
      name={folder.split("/").slice(-2).join("/")}
      count={within(folder)}
      on={!!asked.facets.folder?.includes(folder)}
      onPick={() => toggleFacet("folder", folder)}
    >
      <Do
        quiet
        aria-label={`Pin ${folder}`}
        on={pinned.includes(folder)}
        hint={pinned.includes(folder) ? "Unpin this folder" : "Pin this folder: it stands first"}
        onClick={() => void pin(folder)}
        fontSize="10px"
      >
        pin
      </Do>
    </Choice>
  );
  if (!others.length && !pinned.length) return null;
  return (
    <Folded name="folder">
      {pinned.map(row)}
      {others.slice(0, 12).map(row)}
      {others.length > 12 && (
        <Box color="dim" fontSize="11px" pl="8px">
          and {others.length - 12} more: narrow by “folder has”
        </Box>
      )}
    </Folded>
  );
}

/** Everything the table can be narrowed by; each count is within all other filters. */
export function Facets({ facets, asked }: { facets: Counts; asked: Asked }) {
  const any = Object.values(asked.facets).some((chosen) => chosen.length);
  const list = (facet: string) => {
    const entries = Object.entries(facets[facet] ?? {}).filter(([value]) => facet !== "key" || value);
    if (facet === "tag") entries.sort((a, b) => b[1] - a[1]);
    if (!entries.length) return null;
    if (["rating", "strength"].includes(facet)) entries.reverse();
    return (
      <Folded key={facet} name={facet}>
        {entries.slice(0, facet === "tag" ? 14 : 24).map(([value, count]) => (
          <Choice
            key={value}
            name={WORDS[facet]?.(value) ?? value}
            count={count}
            swatch={facet === "mark" && value ? value : undefined}
            on={!!asked.facets[facet]?.includes(value)}
            onPick={() => toggleFacet(facet, value)}
          />
        ))}
      </Folded>
    );
  };
  return (
    <Flex direction="column" as="section" aria-label="Filters" flex={1} minH={0} bg="sheet" p="10px" gap="8px" overflowY="auto">
      {any && <Do onClick={() => ask({ facets: {}, sort: asked.sort.startsWith("set:") ? "name" : asked.sort })}>Clear filters</Do>}
      <Arrivals counts={facets.arrival ?? {}} asked={asked} />
      <Sets counts={facets.set ?? {}} asked={asked} />
      <Tree counts={facets.category ?? {}} asked={asked} />
      <Foldable busy={FOLDABLE.filter((one) => asked.facets[one]?.length)}>
        <Folders counts={facets.folder ?? {}} asked={asked} />
        {Object.keys(TITLES).map(list)}
      </Foldable>
      <Do quiet on={asked.trash} onClick={() => ask({ ...ANYTHING, trash: !asked.trash })} hint="What was deleted; it can be taken back">
        {asked.trash ? "Leave the trash" : "Trash"}
      </Do>
    </Flex>
  );
}
