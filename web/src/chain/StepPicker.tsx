/** Choosing what to add: steps by family, or by what they do to a sound; with named settings, and the chains kept by name. */
import { Box, Flex } from "@chakra-ui/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { api, got, type Step, type StepView } from "../api/client";
import { freshId, freshStep } from "../mix/fresh";
import { useShared } from "../session/store";
import { Input } from "../ui/fields";
import { useSettled } from "../ui/useSettled";
import { OpenPlugin, usePlugins } from "./plugins";
import { useChains } from "./SavedChains";

/** Something that can be added: its name, what stands behind it, a sentence, and the steps it brings. */
interface Offer {
  id: string;
  name: string;
  setting: string;
  told: string;
  family: string;
  steps: () => Step[];
}

const CHAINS = "Chains";
const PLUGINS = "Plug-ins";
const FEW = 12;

/** What is offered for a wish, the best first; without one all steps by family, and all chains. */
function useOffers(kinds: Record<string, StepView>, wish: string): { offers: Offer[]; answered: boolean } {
  const library = useShared((state) => state.library);
  const chains = useChains().data ?? [];
  const plugins = usePlugins();
  const asked = useSettled(wish.trim(), 120);
  const found = useQuery({
    queryKey: ["steps", library, asked],
    enabled: !!asked,
    placeholderData: keepPreviousData,
    queryFn: () => got(api.GET("/api/lib/{library}/steps/find", { params: { path: { library }, query: { wish: asked } } })),
  });
  const ofStep = (kind: StepView, setting = ""): Offer => ({
    id: `${kind.key} ${setting}`,
    name: kind.label,
    setting,
    told: kind.told,
    family: kind.family,
    steps: () => [freshStep(kind.key, kind.settings[setting] ?? {})],
  });
  const ofChain = (number: number): Offer[] => {
    const chain = chains.find((one) => one.id === number);
    if (!chain) return [];
    const steps = () => chain.chain.map((step) => ({ ...step, id: freshId(step.kind) }));
    return [{ id: `chain ${number}`, name: chain.name, setting: "", told: chain.told, family: CHAINS, steps }];
  };
  const ofPlugin = (plugin: (typeof plugins)[number]): Offer => ({
    id: `plugin ${plugin.key}`,
    name: plugin.name,
    setting: "",
    told: plugin.passed_over ? `Passed over: it ${plugin.passed_over}.` : plugin.maker,
    family: PLUGINS,
    steps: () => [freshStep("plugin", { plugin: plugin.key, state: plugin.state })],
  });
  const usual = Object.values(kinds).filter((kind) => kind.key !== "plugin");
  const all = [...usual.map((kind) => ofStep(kind)), ...chains.flatMap((one) => ofChain(one.id)), ...plugins.map(ofPlugin)];
  if (!wish.trim()) return { offers: all, answered: true };
  const answer = found.data;
  if (!answer) return { offers: [], answered: false };
  const named = plugins.filter((one) => one.name.toLowerCase().includes(wish.trim().toLowerCase())).map(ofPlugin);
  const steps = answer.steps.flatMap((one) => (kinds[one.kind] && one.kind !== "plugin" ? [ofStep(kinds[one.kind], one.setting)] : []));
  const own = answer.chains.flatMap((one) => ofChain(one.id));
  // the best steps, then the best chains: both are always in sight
  const offers = [...steps.slice(0, FEW - Math.min(4, own.length)), ...own.slice(0, 4), ...named];
  return { offers, answered: asked === wish.trim() && !found.isPlaceholderData };
}

function Row({ offer, id, on, wide, onAdd }: { offer: Offer; id: string; on: boolean; wide: boolean; onAdd: () => void }) {
  const name = [offer.name, offer.setting].filter(Boolean).join(", ");
  return (
    <Box
      role="option"
      id={id}
      aria-label={name}
      aria-selected={on}
      title={offer.told}
      onClick={onAdd}
      px="7px"
      py={wide ? "4px" : "2px"}
      w={wide ? "100%" : undefined}
      borderRadius="5px"
      bg={on ? "amberSoft" : wide ? undefined : "ground"}
      color={on ? "amber" : undefined}
      cursor="pointer"
      _hover={{ color: "amber" }}
      ref={(element: HTMLDivElement | null) => {
        if (on) element?.scrollIntoView({ block: "nearest" });
      }}
    >
      {offer.name}
      {offer.setting && (
        <Box as="span" color="dim">
          : {offer.setting}
        </Box>
      )}
      {wide && offer.told && (
        <Box color="dim" fontSize="11px" lineHeight="14px">
          {offer.told}
        </Box>
      )}
    </Box>
  );
}

export function StepPicker({ kinds, onAdd, onClose }: { kinds: Record<string, StepView>; onAdd: (steps: Step[]) => void; onClose: () => void }) {
  const [wish, setWish] = useState("");
  const [at, setAt] = useState(0);
  const base = useId();
  const { offers, answered } = useOffers(kinds, wish);
  /** The wish for whose first answer Enter was pressed before it was there. */
  const taken = useRef<string | null>(null);
  useEffect(() => {
    if (taken.current !== wish || !answered) return;
    taken.current = null;
    if (offers[0]) onAdd(offers[0].steps());
  });
  const wide = !!wish.trim();
  const families = wide ? [] : [...new Set(offers.map((offer) => offer.family))];
  const here = Math.min(at, offers.length - 1);
  const row = (offer: Offer) => {
    const index = offers.indexOf(offer);
    return <Row key={offer.id} offer={offer} id={`${base}-${index}`} on={index === here} wide={wide} onAdd={() => onAdd(offer.steps())} />;
  };
  return (
    <Box border="1px solid" borderColor="line" borderRadius="8px" p="8px" bg="raised" role="group" aria-label="Add a step">
      <Input
        label="What should it do?"
        role="combobox"
        aria-expanded
        aria-controls={base}
        aria-activedescendant={here >= 0 ? `${base}-${here}` : undefined}
        autoFocus
        w="100%"
        placeholder="What should it do? bigger, rougher, further away"
        value={wish}
        onChange={(event) => {
          setWish(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (by) setAt(Math.max(0, Math.min(offers.length - 1, here + by)));
          else if (event.key === "Enter" && !answered) taken.current = wish;
          else if (event.key === "Enter" && offers[here]) onAdd(offers[here].steps());
          else if (event.key === "Escape") onClose();
          else return;
          event.preventDefault();
          event.stopPropagation();
        }}
      />
      <Box id={base} role="listbox" aria-label="Steps to add" mt="7px" maxH="360px" overflowY="auto" tabIndex={-1}>
        {wide
          ? offers.map(row)
          : families.map((family) => (
              <Box key={family} mb="6px" role="group" aria-label={family}>
                <Box color="dim" fontSize="11px" mb="2px">
                  {family}
                </Box>
                <Flex gap="4px" wrap="wrap">
                  {offers.filter((offer) => offer.family === family).map(row)}
                </Flex>
              </Box>
            ))}
        {!wide && (
          <Box mt="4px">
            <OpenPlugin onOpened={(plugin) => onAdd([freshStep("plugin", { plugin: plugin.key, state: plugin.state })])} />
          </Box>
        )}
        {wide && !offers.length && (
          <Box color="dim" fontSize="12px" p="4px 7px">
            Nothing answers that; try another word for what is wanted.
          </Box>
        )}
      </Box>
    </Box>
  );
}
