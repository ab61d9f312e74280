/** Ready sheets: targets, names, limits and words kept by name, used again, handed on as files. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import type { Sheet } from "../../between/sheet";
import { putAway } from "../../documents/named";
import { queries } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Fold } from "../../ui/Fold";
import { NameInput } from "../../ui/fields";
import { ChooseFiles } from "../../ui/files";
import { complain, tell } from "../../ui/messages";

interface Props {
  library: string;
  sheet: Sheet;
  onUse: (values: Partial<Sheet>) => void;
}

export function ReadySheets({ library, sheet, onUse }: Props) {
  const [naming, setNaming] = useState(false);
  const path = { library };
  const kept = useQuery({
    queryKey: ["ready sheets", library],
    queryFn: () => got(api.GET("/api/lib/{library}/ready-sheets", { params: { path } })),
  });
  const done = (name: string, told: string) => {
    void queries.invalidateQueries({ queryKey: ["ready sheets"] });
    tell(`${name} ${told}`);
  };
  const keep = async (name: string) => {
    const { targets, beside, given } = sheet;
    const body = { format: "oskren-sheet", version: 1, name, targets, beside, given } as Schemas["ReadySheet"];
    try {
      await got(api.POST("/api/lib/{library}/ready-sheets", { params: { path }, body }));
      setNaming(false);
      done(name, "is kept.");
    } catch (error) {
      complain(error);
    }
  };
  const use = async (id: number) => {
    try {
      const { name, targets, beside, given } = await got(api.GET("/api/lib/{library}/ready-sheets/{id}", { params: { path: { library, id } } }));
      onUse({ targets, beside, given });
      tell(`${name} is used; what is on the sheet stays.`);
    } catch (error) {
      complain(error);
    }
  };
  const load = async (files: File[]) => {
    try {
      const body = await files[0].text();
      const loaded = await got(
        api.POST("/api/lib/{library}/ready-sheets/file", {
          params: { path },
          body,
          bodySerializer: (text: string) => text,
          headers: { "Content-Type": "text/plain" },
        }),
      );
      done(loaded.name, "is loaded.");
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Fold over label="Ready sheets" hint="Targets, names, limits and words, kept by name and handed on as files">
      <Flex direction="column" gap="6px" w="280px" role="group" aria-label="Ready sheets">
        {naming ? (
          <NameInput
            label="Name of the ready sheet"
            defaultValue={sheet.name ?? ""}
            onNamed={(name) => void keep(name)}
            onLeave={() => setNaming(false)}
          />
        ) : (
          <Do onClick={() => setNaming(true)} hint="Keep targets, names, limits and words by a name, to be used on other sheets">
            Keep these targets
          </Do>
        )}
        {kept.data?.map((one) => (
          <Flex key={one.id} align="center" gap="6px" role="group" aria-label={one.name}>
            <Do
              quiet
              flex={1}
              justifyContent="flex-start"
              onClick={() => void use(one.id)}
              hint={`${one.targets.join(", ")}: use them on this sheet`}
            >
              {one.name}
            </Do>
            <Do quiet onClick={() => window.open(`/api/lib/${library}/ready-sheets/${one.id}/file`, "_self")} hint="Save it as a file, to hand it on">
              Save
            </Do>
            <Bare aria-label={`Put ${one.name} into the trash`} color="dim" onClick={() => void putAway("ready_sheet", one.id)}>
              ×
            </Bare>
          </Flex>
        ))}
        {kept.data?.length === 0 && <Box color="dim">None is kept yet.</Box>}
        <ChooseFiles label="File of a ready sheet" accept=".json" quiet hint="Take in what somebody handed on" onFiles={(files) => void load(files)}>
          Load a file
        </ChooseFiles>
      </Flex>
    </Fold>
  );
}
