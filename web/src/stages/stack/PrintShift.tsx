/** What "print and shift" does in its one gesture: by how much the print is pitched, and through which chain it goes as a layer. */
import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Step } from "../../api/client";
import { useChains } from "../../chain/SavedChains";
import { freshId } from "../../mix/fresh";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { ControlOf, useControl } from "../../ui/controls";
import { Heading } from "../../ui/frames";

export interface Shifting {
  semitones: number;
  keepLength: boolean;
  chain: number | null;
}

const KEPT = "print and shift";

/** The settings, kept in this browser, and the steps of the chosen chain. */
export function usePrintShift(): [Shifting, (next: Shifting) => void, Step[]] {
  const chains = useChains();
  const [semitones, keep] = [useControl("Shift", "semitones"), useControl("Shift", "keep_length")];
  const [own, setOwn] = useState(() => JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Shifting>);
  const shifting: Shifting = { semitones: Number(semitones?.default ?? 0), keepLength: keep?.default === true, chain: null, ...own };
  const set = (next: Shifting) => {
    localStorage.setItem(KEPT, JSON.stringify(next));
    setOwn(next);
  };
  const chosen = chains.data?.find((one) => one.id === shifting.chain);
  return [shifting, set, (chosen?.chain ?? []).map((step) => ({ ...step, id: freshId(step.kind) }))];
}

/** In words: "an octave up", "-7.0 st". */
export function shiftSaid({ semitones }: Shifting): string {
  if (semitones === 12) return "an octave up";
  if (semitones === -12) return "an octave down";
  return semitones === 0 ? "as it is" : `${semitones > 0 ? "+" : ""}${semitones.toFixed(1)} st`;
}

export function PrintShift({ shifting, onChange, onDo }: { shifting: Shifting; onChange: (next: Shifting) => void; onDo: () => void }) {
  const [semitones, keep] = [useControl("Shift", "semitones"), useControl("Shift", "keep_length")];
  const chains = useChains().data ?? [];
  return (
    <Flex direction="column" gap="5px">
      <Heading>Print and shift</Heading>
      <ControlOf control={semitones} value={shifting.semitones} onChange={(next) => onChange({ ...shifting, semitones: next })} />
      <Choose
        label="Chain of the shifted print"
        value={shifting.chain === null ? "" : String(shifting.chain)}
        options={[["", "without a chain"], ...chains.map((one) => [String(one.id), `through ${one.name}`] as const)]}
        onChange={(value) => onChange({ ...shifting, chain: value ? Number(value) : null })}
      />
      <Flex gap="6px" wrap="wrap">
        <ControlOf control={keep} value={shifting.keepLength} onChange={(keepLength) => onChange({ ...shifting, keepLength })} />
        <Do act="printShift" onClick={onDo}>
          Print and shift
        </Do>
      </Flex>
    </Flex>
  );
}
