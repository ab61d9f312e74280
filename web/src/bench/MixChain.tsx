/** The chain of a layer, a group or the sum: its steps, with the level before and behind each as the sound goes through it. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got, type Mix, type Step, slowly } from "../api/client";
import { SavedChains } from "../chain/SavedChains";
import { LevelBefore, StepLevel, withGainBehind } from "../chain/StepLevel";
import { StepList } from "../chain/StepList";
import { useShared } from "../session/store";
import { useSettled } from "../ui/useSettled";
import { about } from "./told";

interface Props {
  mix: Mix;
  /** The layer or group the chain belongs to; none for the sum. */
  of: string;
  chain: Step[];
  onChange: (chain: Step[], gesture?: string) => void;
  chosen: string | null;
  onChoose: (id: string | null) => void;
  channels?: number;
  rate?: number;
  moment?: () => number | null;
}

export function MixChain({ mix, of, chain, onChange, chosen, onChoose, channels, rate, moment }: Props) {
  const library = useShared((state) => state.library);
  // what is heard goes first: levels are asked for once an edit has come to rest
  const settled = useSettled(mix, 400);
  const levels = useQuery({
    queryKey: ["step levels", library, of, settled],
    // what is on its way out is not asked about again
    enabled: chain.length > 0 && settled === mix,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      about(settled, (digest) =>
        slowly(signal, () =>
          got(api.POST("/api/lib/{library}/stack/levels", { params: { path: { library } }, body: { mix: { digest }, id: of }, signal })),
        ),
      ),
  });
  const known = levels.data?.length ? levels.data : undefined;
  return (
    <>
      {known && <LevelBefore levels={known} />}
      <StepList
        chain={chain}
        onChange={onChange}
        chosen={chosen}
        onChoose={onChoose}
        channels={channels}
        rate={rate}
        moment={moment}
        after={(step) => <StepLevel step={step} levels={known} onGain={(gain) => onChange(withGainBehind(chain, step, gain))} />}
      />
      <SavedChains chain={chain} onChange={(next) => onChange(next)} />
    </>
  );
}
