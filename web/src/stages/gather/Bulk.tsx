import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got } from "../../api/client";
import { ExportLine } from "../../between/ExportLine";
import { heardSo } from "../../between/heard";
import { useSend } from "../../between/send";
import { giveChain } from "../../chain/giving";
import { useChains } from "../../chain/SavedChains";
import { useShared } from "../../session/store";
import { Bare, Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Fold } from "../../ui/Fold";
import { Input } from "../../ui/fields";
import { edit, proposeAnchors } from "./describing";
import { newSet, putInSet, takeOutOfSet } from "./sets";
import { among, MARKS, useGather } from "./sounds";

/** So many sounds may be sliced by one plan. */
const MOST_STEMS = 65;

/** What can be done to the chosen rows at once. */
export function Bulk({ total, onReview }: { total: number; onReview: () => void }) {
  const library = useShared((state) => state.library);
  const { asked, chosen, all } = useGather();
  const tree = useQuery({
    queryKey: ["categories", library],
    queryFn: () => got(api.GET("/api/lib/{library}/categories", { params: { path: { library } } })),
  });
  const sets = useQuery({ queryKey: ["sets", library], queryFn: () => got(api.GET("/api/lib/{library}/sets", { params: { path: { library } } })) });
  const fields = useQuery({
    queryKey: ["fields", library],
    queryFn: () => got(api.GET("/api/lib/{library}/fields", { params: { path: { library } } })),
  });
  const chains = useChains();
  const [own, setOwn] = useState("");
  const send = useSend();
  const count = all ? total : chosen.length;
  if (count < 2 && !all) return null;
  const set = asked.sort.startsWith("set:") ? Number(asked.sort.slice(4)) : null;
  const typed = (label: string, placeholder: string, width: string, commit: (text: string) => void, list?: string) => (
    <Input
      label={label}
      placeholder={placeholder}
      w={width}
      flexShrink={0}
      list={list}
      onKeyDown={(event) => {
        if (event.key === "Escape") event.currentTarget.blur();
        if (event.key !== "Enter" || !event.currentTarget.value.trim()) return;
        commit(event.currentTarget.value.trim());
        event.currentTarget.value = "";
        event.currentTarget.blur();
      }}
    />
  );
  return (
    <Flex
      role="region"
      aria-label="Chosen sounds"
      wrap="wrap"
      gap="6px"
      px="10px"
      py="6px"
      bg="amberSoft"
      borderBottom="1px solid"
      borderColor="line"
      align="center"
      fontSize="12px"
    >
      <Box fontWeight={650} color="amber" whiteSpace="nowrap">
        {count} chosen
      </Box>
      {typed("Category of all chosen", "Category ↵", "150px", (category) => void edit({ category }), "categories")}
      <datalist id="categories">
        {tree.data?.map((one) => (
          <option key={one.path} value={one.path} />
        ))}
      </datalist>
      <Fold label="Describe" hint="Names, tags, rights and own fields of all chosen">
        <Do quiet act="confirm" onClick={() => void edit({ confirm: true })}>
          Confirm the proposed categories
        </Do>
        {typed("Names of all chosen", "Names, e.g. {name} {number:2} ↵", "220px", (naming) => void edit({ naming }))}
        {typed("Tags to add", "Tags to add ↵", "220px", (add_tags) => void edit({ add_tags }))}
        {typed("Tags to take away", "Tags to take away ↵", "220px", (remove_tags) => void edit({ remove_tags }))}
        {typed("Rights of all chosen", "Rights ↵", "220px", (rights) => void edit({ rights }))}
        {(fields.data?.length ?? 0) > 0 && (
          <Choose
            label="Own field"
            value={own}
            options={[["", "Own field"], ...(fields.data ?? []).map((field) => [field.name, field.name] as const)]}
            onChange={setOwn}
          />
        )}
        {own && typed(`${own} of all chosen`, `${own} ↵`, "220px", (value) => void edit({ fields: { [own]: value } }))}
      </Fold>
      <Fold label="Grade" hint="Rating, strength, mark and anchors of all chosen">
        <Choose
          label="Rating of all chosen"
          value=""
          options={[["", "Rating"], ...["5", "4", "3", "2", "1", "0"].map((one) => [one, one === "0" ? "not rated" : `rated ${one}`] as const)]}
          onChange={(value) => value && void edit({ rating: Number(value) })}
        />
        <Flex gap="3px" role="group" aria-label="Mark of all chosen">
          {MARKS.map((mark) => (
            <Bare
              key={mark}
              w="15px"
              h="15px"
              borderRadius="4px"
              bg={mark}
              cursor="pointer"
              aria-label={`Mark ${mark}`}
              title={`Mark ${mark}`}
              onClick={() => void edit({ mark })}
            />
          ))}
          <Bare
            w="15px"
            h="15px"
            borderRadius="4px"
            border="1px solid"
            borderColor="dim"
            cursor="pointer"
            aria-label="No mark"
            title="No mark"
            onClick={() => void edit({ mark: "" })}
          />
        </Flex>
        <Choose
          label="Strength of all chosen"
          value=""
          options={[["", "Strength"], ...["5", "4", "3", "2", "1"].map((one) => [one, `${one} of 5`] as const), ["0", "as proposed"]]}
          onChange={(value) => value && void edit({ strength: Number(value) })}
        />
        <Choose
          label="Anchors of all chosen"
          value="none"
          options={[
            ["none", "Anchors"],
            ["", "propose anew"],
            ["hit", "at the hit"],
            ["top", "at the top"],
            ["end", "at the end"],
            ["start", "at the start"],
          ]}
          onChange={(value) => value !== "none" && void proposeAnchors(value as "" | "hit" | "top" | "end" | "start")}
        />
      </Fold>
      <Fold label="Put into" hint="Into a set, through a chain, or onto one plan of slices">
        <Choose
          label="Put into a set"
          value=""
          options={[["", "To a set"], ...(sets.data ?? []).map((one) => [String(one.id), one.name] as const), ["+", "a new set"]]}
          onChange={(value) => value && (value === "+" ? void newSet(`Set of ${count}`) : void putInSet(Number(value)))}
        />
        {set !== null && !all && (
          <Do quiet onClick={() => void takeOutOfSet(set, chosen)}>
            Out of this set
          </Do>
        )}
        <Choose
          label="Put a chain on all chosen"
          value=""
          options={[
            ["", "Put a chain"],
            ...(chains.data ?? []).flatMap((one) => [
              [`copy ${one.id}`, `${one.name}, instead of their steps`] as const,
              [`after ${one.id}`, `${one.name}, after their steps`] as const,
              [`link ${one.id}`, `linked to ${one.name}`] as const,
            ]),
          ]}
          onChange={(value) => {
            const [how, chain] = value.split(" ");
            if (value) void giveChain(Number(chain), { ...among(), linked: how === "link", after: how === "after" });
          }}
        />
        {!all && !asked.trash && chosen.length <= MOST_STEMS && (
          <Do
            quiet
            hint="Recorded together: the slices of the first one are cut from all of them, at the same moments"
            onClick={() => void send.sliceTogether(chosen)}
          >
            Slice together
          </Do>
        )}
      </Fold>
      <Do quiet act="review" onClick={onReview}>
        Review
      </Do>
      <ExportLine what={among} heard={() => heardSo(null)} title="Export" />
      {asked.trash ? (
        <Do quiet onClick={() => void edit({ trashed: false })}>
          Out of the trash
        </Do>
      ) : (
        <Do quiet act="remove" onClick={() => void edit({ trashed: true })}>
          Trash
        </Do>
      )}
      <Do quiet hint="Choose none" onClick={() => useGather.setState({ chosen: [], all: false })}>
        None
      </Do>
    </Flex>
  );
}
