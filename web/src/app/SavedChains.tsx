/** Chains kept by name: put on what is worked on, kept from it. */
import { Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Step } from "../api/client";
import { Choose, Do, Input } from "./parts";
import { freshId } from "./send";
import { complain, queries, tell, useShared } from "./store";

export function useChains() {
  const library = useShared((state) => state.library);
  return useQuery({ queryKey: ["chains", library], queryFn: () => got(api.GET("/api/lib/{library}/chains", { params: { path: { library } } })) });
}

export function SavedChains({ chain, onChange }: { chain: Step[]; onChange: (chain: Step[]) => void }) {
  const library = useShared((state) => state.library);
  const [naming, setNaming] = useState(false);
  const chains = useChains();
  const fresh = () => void queries.invalidateQueries({ queryKey: ["chains"] });
  const keep = async (name: string) => {
    setNaming(false);
    if (!name.trim()) return;
    try {
      await got(api.POST("/api/lib/{library}/chains", { params: { path: { library } }, body: { name: name.trim(), chain } }));
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
    else void got(api.DELETE("/api/lib/{library}/chains/{number}", { params: { path: { library, number: one.id } } })).then(fresh, complain);
  };
  return (
    <Flex gap="6px">
      {naming ? (
        <Input
          label="Name of the chain"
          autoFocus
          placeholder="Name, then Enter"
          flex={1}
          onBlur={() => setNaming(false)}
          onKeyDown={(event) => {
            if (event.key === "Enter") void keep(event.currentTarget.value);
            if (event.key === "Escape") setNaming(false);
          }}
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
              ...(chains.data ?? []).map((one) => [`forget ${one.id}`, `forget ${one.name}`] as const),
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
  );
}
