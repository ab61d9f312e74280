/** Settings of a step by name: those that ship with it, and those kept (saved chains that hold this one kind of step). */
import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import { api, type Control, got, type Step } from "../api/client";
import { queries, useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { NameInput } from "../ui/fields";
import { complain, tell } from "../ui/messages";
import { useChains } from "./SavedChains";

type Settings = Record<string, unknown>;

/** What belongs to the sound rather than to a setting: places, learned parts, what is left out. It stays when a setting is chosen. */
function ofTheSound(params: Settings | undefined, controls: Control[]): Settings {
  const own = controls.filter((one) => one.place || (one.control !== "number" && one.control !== "choice")).map((one) => one.name);
  return Object.fromEntries(Object.entries(params ?? {}).filter(([name]) => own.includes(name)));
}

/** Whether a step is set just so: parameters that are not named have their usual values. */
function same(params: Settings | undefined, named: Settings, own: Settings): boolean {
  const given = Object.fromEntries(Object.entries(params ?? {}).filter(([name]) => !(name in own)));
  return Object.keys(named).length === Object.keys(given).length && Object.entries(named).every(([key, value]) => given[key] === value);
}

interface NamedProps {
  step: Step;
  /** Settings that ship with the kind: parameters other than the usual ones. */
  named: Record<string, Settings>;
  controls: Control[];
  onChange: (params: Step["params"]) => void;
}

export function NamedSettings({ step, named, controls, onChange }: NamedProps) {
  const chains = useChains();
  const kept = (chains.data ?? []).filter((one) => one.chain.length === 1 && one.chain[0].kind === step.kind);
  const all: [string, Settings, string][] = [
    ...Object.entries(named).map(([name, params]): [string, Settings, string] => [name, params, ""]),
    ...kept.map((one): [string, Settings, string] => [one.name, one.chain[0].params ?? {}, one.told || "Kept in this library"]),
  ];
  if (!all.length) return null;
  const own = ofTheSound(step.params, controls);
  return (
    <Flex gap="3px" wrap="wrap" role="group" aria-label="Named settings" ml="-5px">
      {all.map(([name, params, told]) => (
        <Do key={name} quiet on={same(step.params, params, own)} hint={told || undefined} onClick={() => onChange({ ...params, ...own })}>
          {name}
        </Do>
      ))}
    </Flex>
  );
}

export function KeepSettings({ step }: { step: Step }) {
  const library = useShared((state) => state.library);
  const [naming, setNaming] = useState(false);
  const keep = async (name: string) => {
    try {
      await got(api.POST("/api/lib/{library}/chains", { params: { path: { library } }, body: { name, chain: [step] } }));
      void queries.invalidateQueries({ queryKey: ["chains"] });
      tell(`These settings are kept as ${name}.`);
    } catch (error) {
      complain(error);
    }
  };
  if (naming) return <NameInput label="Name of these settings" onNamed={(name) => void keep(name)} onLeave={() => setNaming(false)} />;
  return (
    <Do quiet hint="Keep the settings of this step by name, for other sounds" onClick={() => setNaming(true)}>
      Keep settings
    </Do>
  );
}
