/** What is on the sheet: every file it will write, chosen, sorted, grouped, heard and taken off. */
import { Box, Flex } from "@chakra-ui/react";
import { useMemo, useRef } from "react";
import { api, got, type Schemas, type Target } from "../../api/client";
import type { Sheet } from "../../between/sheet";
import { openToHear } from "../../listening/opening";
import { player } from "../../listening/player";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { useKeys } from "../../ui/keys";
import { complain } from "../../ui/messages";
import { Table } from "../../ui/Table";
import { useTable } from "../../ui/useTable";
import { COLUMNS, type FileRow, GROUPS, numberedAs, rowsOf, without } from "./files";

/** The file with what is wrong with it. */
const TOLD = COLUMNS.map((column) =>
  column.name === "File"
    ? {
        ...column,
        cell: (row: FileRow) => (
          <>
            {row.planned.path || "no name"}
            {row.planned.problem && (
              <Box as="span" fontFamily="body" ml="12px">
                {row.planned.problem}
              </Box>
            )}
          </>
        ),
      }
    : column,
);

const keyOf = (row: FileRow) => String(row.place);

interface Props {
  library: string;
  preview: Schemas["Preview"] | undefined;
  error: string;
  /** What was asked for when the preview was made. */
  asked: Schemas["ToShip"];
  sheet: Sheet;
  targets: Target[];
  /** Items of the sheet that are shown alone. */
  only: ReadonlySet<number> | null;
  onChange: (values: Partial<Sheet>) => void;
  onShow: (place: number | null) => void;
}

export function SheetTable({ library, preview, error, asked, sheet, targets, only, onChange, onShow }: Props) {
  const all = useMemo(() => rowsOf(preview?.files ?? [], preview?.items ?? [], sheet, targets), [preview, sheet, targets]);
  const rows = useMemo(() => (only ? all.filter((row) => only.has(row.planned.item)) : all), [all, only]);
  const { sorted, shown, choosing, chooseAll, table, grouping } = useTable(rows, TOLD, GROUPS, keyOf, "No");
  const several = shown.filter((row) => choosing.together.has(keyOf(row)));
  /** What was asked to be heard last: an answer that comes later than that of another row is not heard. */
  const last = useRef("");
  const hear = async (key: string | null) => {
    last.current = key ?? "";
    onShow(key === null ? null : Number(key));
    if (key === null) return;
    try {
      const body = { ...asked, show: Number(key) };
      const found = await got(api.POST("/api/lib/{library}/ship/heard", { params: { path: { library } }, body }));
      if (!found.meant || last.current !== key) return;
      const heard = await openToHear({ node: found.meant }, library, found.name);
      if (heard) await player.play(heard);
    } catch (problem) {
      complain(problem);
    }
  };
  const take = () => several.length > 0 && onChange(without(sheet, several));
  const allow = (rows: FileRow[], on: boolean) => {
    const paths = new Set(rows.map((row) => row.planned.path));
    const others = (sheet.allowed ?? []).filter((path) => !paths.has(path));
    onChange({ allowed: on ? [...others, ...paths] : others });
  };
  const dry = (rows: FileRow[]) => {
    const gone = new Set(rows.map((row) => String(row.id)));
    onChange({ heard: Object.fromEntries(Object.entries(sheet.heard ?? {}).filter(([id]) => !gone.has(id))) });
  };
  useKeys({
    next: (event) => void hear(choosing.step(1, event.shiftKey)),
    previous: (event) => void hear(choosing.step(-1, event.shiftKey)),
    chooseAll,
    remove: take,
    leave: choosing.leave,
  });
  return (
    <Table
      label="Files to be written"
      {...table}
      onChoose={(key, how) => {
        choosing.choose(key, how);
        if (how === "one") void hear(key);
      }}
      hintOf={(row) => row.planned.problem || row.planned.path}
      wrong={(row) => !!row.planned.problem}
      acts={(row) => (
        <>
          {row.planned.foreign && (
            <Do quiet hint="Somebody else wrote this file; this writes over this very one" onClick={() => allow([row], true)}>
              Write over it
            </Do>
          )}
          {row.over && (
            <Do quiet hint="Leave the file that is there alone" onClick={() => allow([row], false)}>
              writes over a file
            </Do>
          )}
          {row.asHeard && (
            <Do quiet hint="It leaves as it was heard when it was put on the sheet; press to let it leave dry" onClick={() => dry([row])}>
              as heard
            </Do>
          )}
          <Do
            quiet
            hint="Take this off the sheet"
            aria-label={`Take ${row.facts?.name ?? "this"} off the sheet`}
            onClick={() => onChange(without(sheet, [row]))}
          >
            ×
          </Do>
        </>
      )}
    >
      <Flex px="16px" py="5px" gap="10px" align="center" minH="38px" fontSize="12px">
        <Choose {...grouping} w="138px" />
        <Box color="dim" data-testid="chosen files">
          {several.length ? `${several.length} of ${shown.length} chosen` : only ? `${shown.length} shown` : ""}
        </Box>
        {several.length > 0 && (
          <Do quiet act="remove" onClick={take} hint="Their sounds leave the sheet, with all their files">
            Take off
          </Do>
        )}
        <Box flex={1} />
        {(sorted.by !== "No" || sorted.down) && (
          <Do quiet hint="{number} counts in this order from now on" onClick={() => onChange({ counted: numberedAs(shown) })}>
            Number in this order
          </Do>
        )}
        {Object.keys(sheet.counted ?? {}).length > 0 && (
          <Do quiet hint="Everything keeps the number it was shipped under; this counts anew" onClick={() => onChange({ counted: {} })}>
            Numbers are kept: count anew
          </Do>
        )}
      </Flex>
      {error && (
        <Box role="alert" color="coral" p="14px">
          {error}
        </Box>
      )}
    </Table>
  );
}
