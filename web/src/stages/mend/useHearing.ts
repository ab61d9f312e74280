/** What is heard of a sound that is mended: as it is now, its original, what was removed, or a kept state, all at matched loudness. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, got, type Node, type SoundFacts, type Step, slowly, untilReady } from "../../api/client";
import { useStepKinds } from "../../chain/useStepKinds";
import { openToKeep, useMeasured } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { type Heard as Played, useListening } from "../../listening/state";
import { useShared } from "../../session/store";
import { complain, tell } from "../../ui/messages";
import { useSettled } from "../../ui/useSettled";

/** What is heard: the sound as it is now, its original, what was removed, or a kept state (by its number). */
type Hearing = "after" | "before" | "removed" | number;

interface State {
  name: string;
  chain: Step[];
}

const MOST_STATES = 4;

/** Nothing is asked of shorter sounds; where estimates begin to help the server knows. */
const WORTH_ESTIMATING_S = 15;

/** ``chosen`` is the step whose removal is heard alone. */
export function useHearing(sound: SoundFacts, chain: Step[], chosen: string | null) {
  const library = useShared((state) => state.library);
  const kinds = useStepKinds();
  const [hearing, setHearing] = useState<Hearing>("after");
  const base = sound.node as Node;
  const settled = useSettled(chain, 60);
  const active = settled.filter((step) => step.on);
  const node = useMemo((): Node => ({ kind: "chained", from_zero: false, node: base, chain: settled }), [base, settled]);
  const at = settled.findIndex((step) => step.id === chosen && step.on);
  const alone = at >= 0 ? settled.slice(at, at + 1) : active;
  const keepsTime = alone.length > 0 && alone.every((step) => kinds[step.kind]?.keeps_time && step.kind !== "mono");
  const removed = useMemo((): Node => {
    const input: Node = at >= 0 ? { kind: "chained", from_zero: false, node: base, chain: settled.slice(0, at) } : base;
    return {
      kind: "difference",
      node: input,
      without: at >= 0 ? { kind: "chained", from_zero: false, node: base, chain: settled.slice(0, at + 1) } : node,
    };
  }, [base, settled, at, node]);
  const [states, setStates] = useState(sound.states);
  const state = typeof hearing === "number" ? states[hearing] : undefined;
  const kept = useMemo((): Node | null => (state ? { kind: "chained", from_zero: false, node: base, chain: state.chain } : null), [state, base]);
  const target = hearing === "before" ? base : hearing === "removed" && keepsTime ? removed : (kept ?? node);

  // levels of a long sound take a while: until then a few of its parts stand for all of it; they are asked for first
  const long = sound.seconds > WORTH_ESTIMATING_S;
  const estimated = useQuery({
    queryKey: ["levels estimated", library, sound.id, settled],
    enabled: long,
    retry: false,
    queryFn: ({ signal }) =>
      got(api.POST("/api/lib/{library}/mend/levels/estimated", { params: { path: { library } }, body: { node: base, chain: settled }, signal })),
  });
  const levels = useQuery({
    queryKey: ["levels", library, sound.id, settled],
    enabled: !long || !estimated.isPending,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: ({ signal }) =>
      slowly(signal, () =>
        got(api.POST("/api/lib/{library}/mend/levels", { params: { path: { library } }, body: { node: base, chain: settled }, signal })),
      ),
  });
  const measured = levels.isPlaceholderData ? undefined : levels.data;
  const about = !measured && !!estimated.data?.length;
  const shown = measured ?? (about ? estimated.data : levels.data);
  const before = shown?.[0];
  const after = shown?.[shown.length - 1];
  const stateLevels = useQuery({
    queryKey: ["levels", library, sound.id, state?.chain],
    enabled: !!state,
    retry: false,
    queryFn: ({ signal }) =>
      slowly(signal, () =>
        got(api.POST("/api/lib/{library}/mend/levels", { params: { path: { library } }, body: { node: base, chain: state?.chain ?? [] }, signal })),
      ),
  });
  const beside = hearing === "before" ? before : state ? stateLevels.data?.at(-1) : undefined;
  /** By how much what is compared with is played louder (dB); null while nothing is, or it is not measured. */
  const matchDb = beside?.lufs != null && after?.lufs != null ? after.lufs - beside.lufs : null;
  const opened = useQuery({
    queryKey: ["opened", library, target],
    ...untilReady,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => openToKeep({ node: target }, library, sound.name, { lufs: after?.lufs ?? null }),
  });
  useMeasured<Played>(
    ["opened", library, target],
    opened.isPlaceholderData ? undefined : opened.data?.opened,
    library,
    { node: target },
    (old, fresh) => ({
      ...old,
      opened: fresh,
    }),
  );
  const now = opened.data && !opened.isPlaceholderData ? opened.data : null;
  // what is heard follows every edit at the same moment; loudness of before and after is matched
  // biome-ignore lint/correctness/useExhaustiveDependencies: only another sound or match is a reason
  useEffect(() => {
    if (!now) return;
    const next = { ...now, matchDb: matchDb ?? 0, title: hearing === "after" ? sound.name : `${sound.name}, ${state?.name ?? hearing}` };
    const playing = useListening.getState();
    const mine = playing.heard?.title.startsWith(sound.name) ?? false;
    if (mine) {
      const share = playing.heard ? next.opened.frames / next.opened.rate / (playing.heard.opened.frames / playing.heard.opened.rate) : 1;
      const here = playing.heard ? live.read / playing.heard.opened.rate : 0;
      void player.swap(next, Math.abs(share - 1) < 0.001 ? here : here * share);
    } else player.show(next);
  }, [now?.opened.digest, matchDb, hearing]);

  const keepStates = (next: State[]) => {
    setStates(next);
    got(api.PUT("/api/lib/{library}/sounds/{id}/states", { params: { path: { library, id: sound.id } }, body: { states: next } })).catch(complain);
  };
  const keepState = () => {
    const letter = "ABCD"[[..."ABCD"].findIndex((one) => !states.some((each) => each.name === `State ${one}`))] ?? "A";
    keepStates([...states, { name: `State ${letter}`, chain }].slice(-MOST_STATES));
    tell(`State ${letter} is kept; the ' key goes round original, now and kept states.`);
  };
  /** Original, now, and every kept state in turn. */
  const compare = () =>
    setHearing((one) => {
      const round: Hearing[] = ["after", "before", ...states.map((_, i) => i)];
      return round[(round.indexOf(one) + 1) % round.length] ?? "after";
    });
  /** Marks are set on the sound as shown; steps keep them in the time of the original, so a mark is offered where both are the same. */
  const sameTime = active.every((step) => kinds[step.kind]?.keeps_time);
  return {
    ...{ base, node, settled, hearing, setHearing, keepsTime, alone: at >= 0, sameTime, opened, now },
    ...{ levels, shown, about, after, matchDb, states, state, keepState, keepStates, compare },
  };
}

export type Heard = ReturnType<typeof useHearing>;
