/** The marks of a review reel as a table: what each would be called, and the words it is called by. */
import { Box, Flex, Table } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type RefObject, useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Input } from "../../ui/fields";
import { useSettled } from "../../ui/useSettled";
import { COLOURS, type Mark, type ReelView } from "./marks";

export function MarkRows({
  view,
  chosen,
  onChoose,
  onPlay,
  onChange,
  onRemove,
  naming,
}: {
  view: ReelView;
  chosen: number | null;
  onChoose: (id: number) => void;
  onPlay: (mark: Mark) => void;
  onChange: (id: number, values: Partial<Mark>, gesture?: string) => void;
  onRemove: (id: number) => void;
  naming: RefObject<HTMLInputElement | null>;
}) {
  const order = (mark: Mark) => (view.takes.find((take) => take.id === mark.take)?.start_s ?? 0) + mark.start_s;
  const marks = [...view.reel.marks].sort((a, b) => order(a) - order(b));
  const library = useShared((state) => state.library);
  const tree = useQuery({
    queryKey: ["categories", library],
    queryFn: () => got(api.GET("/api/lib/{library}/categories", { params: { path: { library } } })),
  });
  const row = useRef<HTMLTableRowElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another choice is the reason
  useEffect(() => {
    row.current?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  if (!marks.length)
    return (
      <Box p="14px" color="dim">
        Nothing is marked yet. While it plays, K keeps what is heard, 7 perhaps keeps it, 8 marks noise alone, 9 marks material for designing; the
        arrows down and up go from event to event, [ and ] set edges.
      </Box>
    );
  return (
    <Box overflow="auto" flex={1} minH={0} tabIndex={0} aria-label="Marks" role="region">
      <Table.Root stickyHeader aria-label="Marks of this reel">
        <Table.Header>
          <Table.Row>
            <Table.ColumnHeader pl="14px">What</Table.ColumnHeader>
            <Table.ColumnHeader>Take</Table.ColumnHeader>
            <Table.ColumnHeader>From</Table.ColumnHeader>
            <Table.ColumnHeader>Length</Table.ColumnHeader>
            <Table.ColumnHeader>Words</Table.ColumnHeader>
            <Table.ColumnHeader>Category</Table.ColumnHeader>
            <Table.ColumnHeader>Name of the select</Table.ColumnHeader>
            <Table.ColumnHeader aria-label="What can be done" />
          </Table.Row>
        </Table.Header>
        <Table.Body>
          {marks.map((mark) => {
            const take = view.takes.find((one) => one.id === mark.take);
            const name = view.names.find((one) => one.id === mark.id);
            const mine = mark.id === chosen;
            return (
              <Table.Row
                key={mark.id}
                ref={mine ? row : undefined}
                data-mark={mark.kind}
                aria-selected={mine}
                bg={mine ? "amberSoft" : undefined}
                onClick={() => onChoose(mark.id)}
                onDoubleClick={() => onPlay(mark)}
              >
                <Table.Cell pl="14px" py="3px" color={COLOURS[mark.kind] === "faint" ? "dim" : COLOURS[mark.kind]} fontWeight={600}>
                  {mark.kind}
                </Table.Cell>
                <Table.Cell maxW="118px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                  {take?.name}
                </Table.Cell>
                <Table.Cell fontFamily="mono">{mark.start_s.toFixed(2)} s</Table.Cell>
                <Table.Cell fontFamily="mono" color={view.usable.short.includes(mark.id) ? "amber" : undefined}>
                  {(mark.end_s - mark.start_s).toFixed(2)} s{view.usable.short.includes(mark.id) ? " short" : ""}
                </Table.Cell>
                <Table.Cell>
                  {(mark.kind === "keep" || mark.kind === "material" || mark.kind === "maybe") &&
                    (mine ? (
                      <Words key={mark.id} view={view} mark={mark} field={naming} onCommit={(words) => onChange(mark.id, { words })} />
                    ) : (
                      mark.words
                    ))}
                </Table.Cell>
                <Table.Cell maxW="110px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" color={mark.category ? undefined : "dim"}>
                  {mine && mark.kind !== "noise" ? (
                    <Input
                      key={`${mark.id} ${mark.category}`}
                      label="Category of the select"
                      list="categories-known"
                      py="1px"
                      w="96px"
                      defaultValue={mark.category}
                      placeholder={take?.category || "none"}
                      onBlur={(event) =>
                        event.currentTarget.value.trim() !== mark.category && onChange(mark.id, { category: event.currentTarget.value.trim() })
                      }
                      onKeyDown={(event) => {
                        if (event.key === "Enter") event.currentTarget.blur();
                        event.stopPropagation();
                      }}
                    />
                  ) : (
                    mark.category || (mark.kind === "noise" ? "" : take?.category)
                  )}
                </Table.Cell>
                <Table.Cell fontFamily="mono" maxW="230px">
                  {name && (
                    <>
                      <Box overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={name.name}>
                        {name.name}
                      </Box>
                      {name.wrong.map((wrong) => (
                        <Box key={wrong} color="coral" fontFamily="body">
                          {wrong}
                        </Box>
                      ))}
                    </>
                  )}
                </Table.Cell>
                <Table.Cell whiteSpace="nowrap">
                  {mine && (
                    <Flex gap="2px">
                      <Do quiet hint="Hear it" onClick={() => onPlay(mark)}>
                        Hear
                      </Do>
                      <Do quiet act="drop" onClick={() => onRemove(mark.id)}>
                        Drop
                      </Do>
                    </Flex>
                  )}
                </Table.Cell>
              </Table.Row>
            );
          })}
        </Table.Body>
      </Table.Root>
      <datalist id="categories-known">
        {tree.data?.map((one) => (
          <option key={one.path} value={one.path} />
        ))}
      </datalist>
    </Box>
  );
}

/** Words of a name, completed from what the library says, checked while they are typed. */
function Words({
  view,
  mark,
  field,
  onCommit,
}: {
  view: ReelView;
  mark: Mark;
  field: RefObject<HTMLInputElement | null>;
  onCommit: (words: string) => void;
}) {
  const library = useShared((state) => state.library);
  const [text, setText] = useState(mark.words);
  useEffect(() => setText(mark.words), [mark.words]);
  const settled = useSettled(text, 120);
  const last = settled.split(" ").at(-1) ?? "";
  const words = useQuery({
    queryKey: ["words", library, last],
    enabled: last.length > 0,
    queryFn: () => got(api.GET("/api/lib/{library}/words", { params: { path: { library }, query: { start: last } } })),
  });
  const judged = useQuery({
    queryKey: ["judged", library, view.reel.template, settled],
    enabled: settled.trim().length > 0 && settled !== mark.words,
    queryFn: () =>
      got(
        api.POST("/api/lib/{library}/names/check", {
          params: { path: { library } },
          body: { template: view.reel.template, values: { words: settled } },
        }),
      ),
  });
  const before = text.split(" ").slice(0, -1).join(" ");
  const told = [...(judged.data?.wrong ?? []), ...(judged.data?.new_words.length ? [`new here: ${judged.data.new_words.join(", ")}`] : [])];
  return (
    <Box>
      <Input
        label="Words of the name"
        ref={field}
        list="words-offered"
        py="1px"
        w="132px"
        value={text}
        placeholder="words, then Enter"
        autoComplete="off"
        onChange={(event) => setText(event.currentTarget.value)}
        onBlur={() => text.trim() !== mark.words && onCommit(text.trim())}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") {
            setText(mark.words);
            event.currentTarget.blur();
          }
          event.stopPropagation();
        }}
      />
      <datalist id="words-offered">
        {words.data?.map((word) => (
          <option key={word} value={before ? `${before} ${word}` : word} />
        ))}
      </datalist>
      {text !== mark.words && told.length > 0 && (
        <Box color={judged.data?.wrong.length ? "coral" : "amber"} fontSize="11px" role="status">
          {told.join("; ")}
        </Box>
      )}
    </Box>
  );
}
