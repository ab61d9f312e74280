/** The other sound a step is given as it is, an impulse response: found in the library, heard, chosen. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type SoundRow, type Step } from "../api/client";
import { SoundLine } from "../canvas/SoundLine";
import { useShared } from "../session/store";
import { Bare, Do } from "../ui/buttons";
import { Input } from "../ui/fields";
import { complain } from "../ui/messages";
import { useSettled } from "../ui/useSettled";

export function Beside({ step, what, onChange }: { step: Step; what: string; onChange: (other: Step["learned_on"]) => void }) {
  const library = useShared((state) => state.library);
  const [open, setOpen] = useState(!step.learned_on);
  const [q, setQ] = useState("");
  const asked = useSettled(q, 120);
  const found = useQuery({
    queryKey: ["sounds", library, "beside", asked],
    enabled: open,
    placeholderData: keepPreviousData,
    queryFn: async () => {
      const search = (words: string) =>
        got(
          api.GET("/api/lib/{library}/sounds", {
            params: { path: { library }, query: { q: words, limit: 30, sort: "name", descending: false, offset: 0 } },
          }),
        );
      // before anything is typed: what is known by these words, else everything
      const first = asked ? null : await search(what);
      return first?.rows.length ? first : search(asked);
    },
  });
  const named = useQuery({
    queryKey: ["behind", library, step.learned_on],
    enabled: !!step.learned_on,
    queryFn: () =>
      step.learned_on ? got(api.POST("/api/lib/{library}/steps/behind", { params: { path: { library } }, body: { node: step.learned_on } })) : [],
  });
  const choose = async (row: SoundRow) => {
    try {
      const facts = await got(api.GET("/api/lib/{library}/sounds/{id}", { params: { path: { library, id: row.id } } }));
      onChange(facts.now);
      setOpen(false);
    } catch (error) {
      complain(error);
    }
  };
  const title = what.charAt(0).toUpperCase() + what.slice(1);
  return (
    <Flex direction="column" gap="5px" p="8px" borderRadius="7px" bg="sheet" role="group" aria-label={title}>
      <Flex justify="space-between" gap="8px" align="center">
        <Box
          color={step.learned_on ? "chalk" : "amber"}
          fontSize="12px"
          minW={0}
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace={step.learned_on ? "nowrap" : undefined}
        >
          {step.learned_on ? (named.data?.join(", ") ?? "…") || `${title} of another library` : `Choose the ${what}: until then the sound passes`}
        </Box>
        {step.learned_on && (
          <Do quiet onClick={() => setOpen(!open)}>
            {open ? "Done" : "Another"}
          </Do>
        )}
      </Flex>
      {open && (
        <>
          <Input
            label={`Search for the ${what}`}
            placeholder="Search the sounds"
            value={q}
            onChange={(event) => setQ(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Enter" && found.data?.rows[0]) void choose(found.data.rows[0]);
              if (event.key === "Escape") setOpen(false);
              event.stopPropagation();
            }}
          />
          <Box maxH="150px" overflowY="auto" role="list" aria-label={`Sounds for the ${what}`}>
            {found.data?.rows.map((row) => (
              <Bare
                key={row.id}
                role="listitem"
                aria-label={`Use ${row.name}`}
                display="flex"
                alignItems="center"
                gap="8px"
                w="100%"
                h="24px"
                cursor="pointer"
                textAlign="left"
                fontSize="12px"
                _hover={{ color: "amber" }}
                onClick={() => void choose(row)}
              >
                <SoundLine sound={row} wave={["44px", 16]} />
              </Bare>
            ))}
          </Box>
        </>
      )}
    </Flex>
  );
}
