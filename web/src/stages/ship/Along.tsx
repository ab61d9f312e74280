/** What all files say where their sounds say nothing, and what is put beside them. */
import type { Schemas } from "../../api/client";
import type { Sheet } from "../../between/sheet";
import { Controls } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { Heading, Line } from "../../ui/frames";

type Beside = Schemas["Beside"];

export function Along({ sheet, onChange }: { sheet: Sheet; onChange: (values: Partial<Sheet>, gesture?: string) => void }) {
  const given = sheet.given ?? { rights: "", artist: "" };
  const beside = sheet.beside as Beside;
  const give = (values: Partial<typeof given>) => onChange({ given: { ...given, ...values } });
  return (
    <>
      <Heading>Rights, where a sound says none</Heading>
      <TextField label="Rights of all files" value={given.rights ?? ""} onCommit={(rights) => give({ rights: rights.trim() })} />
      <Heading>Made by</Heading>
      <TextField label="Maker of all files" value={given.artist ?? ""} onCommit={(artist) => give({ artist: artist.trim() })} />
      <Line />
      <Heading>Beside the files</Heading>
      <Controls<Beside>
        model="Beside"
        names={["page", "readme", "contacts", "reel", ...(beside.reel ? (["gap_s"] as const) : [])]}
        value={beside}
        onChange={(values) => onChange({ beside: { ...beside, ...values } }, Object.keys(values).join())}
      />
    </>
  );
}
