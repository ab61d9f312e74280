/** Chains kept by name: put on what is worked on as a copy or linked, kept from it. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Node, type Step } from "../api/client";
import { putAway } from "../documents/named";
import { freshId } from "../mix/fresh";
import { queries, useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { Choose } from "../ui/choices";
import { NameInput } from "../ui/fields";
import { complain, tell } from "../ui/messages";
import { giveChain } from "./giving";

export function useChains() {
  const library = useShared((state) => state.library);
  return useQuery({ queryKey: ["chains", library], queryFn: () => got(api.GET("/api/lib/{library}/chains", { params: { path: { library } } })) });
}

/**
 * ``sound`` is the one worked on, when there is one: a chain can be linked to it then, and be kept so that what was learned from this sound
 * goes along.
 */
export function SavedChains({
  chain,
  onChange,
  sound,
  follows,
}: {
  chain: Step[];
  onChange: (chain: Step[]) => void;
  sound?: { id: number; node: Node };
  follows?: number | null;
}) {
  const library = useShared((state) => state.library);
  const [naming, setNaming] = useState(false);
  const [listing, setListing] = useState(false);
  const chains = useChains();
  const fresh = () => {
    for (const key of ["chains", "mend", "sound"]) void queries.invalidateQueries({ queryKey: [key] });
  };
  const followed = follows != null ? chains.data?.find((one) => one.id === follows) : undefined;
  /** Kept under what was typed: a name, and behind a colon what it does. */
  const keep = async (typed: string) => {
    const [name, ...rest] = typed.split(":");
    const told = rest.join(":").trim();
    if (!name.trim()) return;
    // a profile from marked parts belongs to this sound: others go on learning from it
    const kept = chain.map((step) =>
      sound && step.kind === "noise_reduction" && ((step.params?.parts as unknown[]) ?? []).length && !step.learned_on
        ? { ...step, learned_on: sound.node }
        : step,
    );
    try {
      await got(
        api.POST("/api/lib/{library}/chains", { params: { path: { library } }, body: { name: name.trim(), chain: kept, ...(told ? { told } : {}) } }),
      );
      fresh();
      tell(`The chain ${name.trim()} is kept; sounds can be heard through it in Gather.`);
    } catch (error) {
      complain(error);
    }
  };
  const choose = (value: string) => {
    if (!value) return;
    const [what, number] = value.split(" ");
    const one = chains.data?.find((each) => String(each.id) === number);
    if (!one) return;
    if (what === "put") onChange([...chain, ...one.chain.map((step) => ({ ...step, id: freshId(step.kind) }))]);
    else if (what === "link" && sound) void giveChain(one.id, { ids: [sound.id], linked: true });
    else void putAway("saved_chain", one.id);
  };
  const unlink = () =>
    sound && void got(api.POST("/api/lib/{library}/sounds/{id}/unlink", { params: { path: { library, id: sound.id } } })).then(fresh, complain);
  return (
    <Flex direction="column" gap="6px">
      {followed && (
        <Box p="8px" borderRadius="8px" bg="amberSoft" fontSize="12px" role="group" aria-label="Linked chain">
          Linked to {followed.name}, with {followed.users} {followed.users === 1 ? "sound" : "sounds"}: a change here changes all of them.
          <Flex gap="5px" mt="4px">
            <Do quiet on={listing} onClick={() => setListing(!listing)}>
              Which sounds
            </Do>
            <Do quiet hint="This sound keeps the steps it has and goes its own way" onClick={unlink}>
              Unlink
            </Do>
          </Flex>
          {listing && <Users chain={followed.id} />}
        </Box>
      )}
      <Flex gap="6px">
        {naming ? (
          <NameInput
            label="Name of the chain"
            placeholder="Name: what it does, then Enter"
            flex={1}
            onLeave={() => setNaming(false)}
            onNamed={(typed) => void keep(typed)}
          />
        ) : (
          <>
            <Choose
              label="Saved chains"
              value=""
              flex={1}
              options={[
                ["", chains.data?.length ? "Saved chains" : "No saved chains yet"],
                ...(chains.data ?? []).map((one) => [`put ${one.id}`, `add ${one.name}`] as const),
                ...(sound ? (chains.data ?? []).map((one) => [`link ${one.id}`, `link to ${one.name}, instead of these steps`] as const) : []),
                ...(chains.data ?? []).map(
                  (one) => [`away ${one.id}`, `put ${one.name} into the trash${one.users ? ` (${one.users} linked)` : ""}`] as const,
                ),
              ]}
              onChange={choose}
            />
            <Do
              disabled={!chain.length}
              onClick={() => setNaming(true)}
              hint="Keep these steps by name: for other sounds, and to hear sounds through in Gather"
            >
              Keep chain
            </Do>
          </>
        )}
      </Flex>
    </Flex>
  );
}

function Users({ chain }: { chain: number }) {
  const library = useShared((state) => state.library);
  const users = useQuery({
    queryKey: ["chains", library, chain, "users"],
    queryFn: () => got(api.GET("/api/lib/{library}/chains/{id}/users", { params: { path: { library, id: chain } } })),
  });
  return (
    <Box as="ul" mt="4px" maxH="120px" overflow="auto" tabIndex={0} aria-label="Sounds linked to this chain">
      {users.data?.map((user) => (
        <li key={user.id}>
          <Do quiet onClick={() => useShared.setState({ mendSound: user.id })}>
            {user.name}
          </Do>
        </li>
      ))}
    </Box>
  );
}
