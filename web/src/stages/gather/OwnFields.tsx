import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type SoundRow } from "../../api/client";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input, TextField } from "../../ui/fields";
import { complain } from "../../ui/messages";
import type { Change } from "./sounds";

/** Fields of the user's own: filled in here, added here. */
export function OwnFields({ row, onChange }: { row: SoundRow; onChange: (values: Partial<Change>) => void }) {
  const library = useShared((state) => state.library);
  const [adding, setAdding] = useState(false);
  const [kind, setKind] = useState("text");
  const fields = useQuery({
    queryKey: ["fields", library],
    queryFn: () => got(api.GET("/api/lib/{library}/fields", { params: { path: { library } } })),
  });
  const fresh = () => void queries.invalidateQueries({ queryKey: ["fields"] });
  const add = async (text: string) => {
    setAdding(false);
    const [name, ...options] = text.split(/[:,]/).map((part) => part.trim());
    if (!name) return;
    try {
      await got(
        api.PUT("/api/lib/{library}/fields", {
          params: { path: { library } },
          body: { name, kind: (options.length ? "choice" : kind) as "text", options },
        }),
      );
      fresh();
    } catch (error) {
      complain(error);
    }
  };
  const drop = (name: string) =>
    void got(api.DELETE("/api/lib/{library}/fields", { params: { path: { library }, query: { name } } })).then(fresh, complain);
  return (
    <>
      {fields.data?.map((field) => (
        <Flex key={field.name} align="center" gap="5px">
          <Box color="dim" w="70px" flexShrink={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={field.name}>
            {field.name}
          </Box>
          {field.kind === "choice" ? (
            <Choose
              label={field.name}
              value={String(row.fields[field.name] ?? "")}
              options={[["", "not chosen"], ...field.options.map((one) => [one, one] as const)]}
              onChange={(value) => onChange({ fields: { [field.name]: value } })}
              flex={1}
            />
          ) : (
            <TextField
              label={field.name}
              value={String(row.fields[field.name] ?? "")}
              placeholder={field.kind}
              onCommit={(value) => onChange({ fields: { [field.name]: value } })}
            />
          )}
          <Do quiet hint={`Delete the field ${field.name}`} onClick={() => drop(field.name)}>
            ×
          </Do>
        </Flex>
      ))}
      {adding ? (
        <Flex gap="5px">
          <Input
            label="Name of the new field"
            autoFocus
            flex={1}
            placeholder="Name, or Name: one, two ↵"
            onKeyDown={(event) => {
              if (event.key === "Enter") void add(event.currentTarget.value);
              if (event.key === "Escape") setAdding(false);
            }}
          />
          <Choose label="Kind of field" value={kind} options={["text", "number", "date"].map((one) => [one, one] as const)} onChange={setKind} />
        </Flex>
      ) : (
        <Box>
          <Do quiet onClick={() => setAdding(true)} hint="A field of your own for every sound: text, number, date, or a choice" fontSize="11px">
            <Box as="span" color="dim">
              + field of your own
            </Box>
          </Do>
        </Box>
      )}
    </>
  );
}
