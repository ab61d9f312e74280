/** Settings of a step by name: those that ship with it, and those kept (saved chains that hold this one kind of step). */
import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import { api, got, type Step } from "../api/client";
import { Choose, Do, Input } from "./parts";
import { useChains } from "./SavedChains";
import { complain, queries, tell, useShared } from "./store";

interface Props {
  step: Step;
  /** Settings that ship with the kind: parameters other than the usual ones. */
  named: Record<string, Record<string, unknown>>;
  onChange: (params: Step["params"]) => void;
}

export function StepSettings({ step, named, onChange }: Props) {
  const library = useShared((state) => state.library);
  const chains = useChains();
  const [naming, setNaming] = useState(false);
  const kept = (chains.data ?? []).filter((one) => one.chain.length === 1 && one.chain[0].kind === step.kind);
  const keep = async (name: string) => {
    setNaming(false);
    if (!name.trim()) return;
    try {
      await got(api.POST("/api/lib/{library}/chains", { params: { path: { library } }, body: { name: name.trim(), chain: [step] } }));
      void queries.invalidateQueries({ queryKey: ["chains"] });
      tell(`These settings are kept as ${name.trim()}.`);
    } catch (error) {
      complain(error);
    }
  };
  if (naming)
    return (
      <Input
        label="Name of these settings"
        autoFocus
        placeholder="Name, then Enter"
        onBlur={() => setNaming(false)}
        onKeyDown={(event) => {
          if (event.key === "Enter") void keep(event.currentTarget.value);
          if (event.key === "Escape") setNaming(false);
        }}
      />
    );
  return (
    <Flex gap="5px" align="center">
      {kept.length + Object.keys(named).length > 0 && (
        <Choose
          label="Named settings"
          value=""
          flex={1}
          options={[
            ["", "Named settings"],
            ...Object.keys(named).map((name) => [`own ${name}`, name] as const),
            ...kept.map((one) => [`kept ${one.id}`, `${one.name} (kept)`] as const),
          ]}
          onChange={(value) => {
            const one = kept.find((each) => `kept ${each.id}` === value);
            const own = named[value.slice(4)];
            if (one) onChange(one.chain[0].params);
            else if (value.startsWith("own ") && own) onChange(own);
          }}
        />
      )}
      <Do quiet hint="Keep the settings of this step by name, for other sounds" onClick={() => setNaming(true)}>
        Keep settings
      </Do>
    </Flex>
  );
}
