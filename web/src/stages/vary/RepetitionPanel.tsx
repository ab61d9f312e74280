import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { memo, useEffect, useState } from "react";
import { api, got, type Node, type Schemas } from "../../api/client";
import { openToHear } from "../../listening/opening";
import { live, player } from "../../listening/player";
import { useListening } from "../../listening/state";
import { queries, useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Tick } from "../../ui/choices";
import { Controls, useModels } from "../../ui/controls";
import { useKeys } from "../../ui/keys";
import { complain } from "../../ui/messages";
import { useInk } from "../../ui/theme";
import type { Draw } from "./useJudgements";

type How = Schemas["Repetition"];
type View = Schemas["RepetitionView"];

interface Props {
  spread: number;
  draws: Draw[];
  /** Other spreads whose kept variations may take turns with these. */
  others: readonly { id: number; name: string }[];
  onSounding: (draw: number | null) => void;
}

/** The kept variations as a game would play them: at an interval with jitter, never the same twice in a row, sets in turn. */
export function RepetitionPanel({ spread, draws, others, onSounding }: Props) {
  const library = useShared((state) => state.library);
  const usual = useModels()?.Repetition?.defaults as How | undefined;
  const [set, setHow] = useState<Partial<How>>({});
  const [chosen, setChosen] = useState<number[]>([]);
  const [seed, setSeed] = useState(1);
  const [played, setPlayed] = useState<View | null>(null);
  const how = { ...(usual as How), ...set, seed };
  const states = draws.map((one) => `${one.id}${one.state[0]}`).join();
  const told = useQuery({
    queryKey: ["repetition", library, spread, states, chosen, how],
    enabled: usual !== undefined && draws.filter((one) => one.ready && one.state !== "dropped").length > 1,
    retry: false,
    queryFn: () => ask(),
  });
  const ask = () =>
    got(api.POST("/api/lib/{library}/spreads/{id}/repetition", { params: { path: { library, id: spread } }, body: { how, others: chosen } }));
  const play = async () => {
    try {
      const view = await queries.fetchQuery({ queryKey: ["repetition", library, spread, states, chosen, how], queryFn: ask });
      const opened = await openToHear({ node: view.mix as Node }, library, "Repetition test");
      if (!opened) return;
      setPlayed(view);
      await player.play(opened);
      // the next time in another order
      setSeed((now) => now + 1);
    } catch (error) {
      complain(error);
    }
  };
  const heard = useListening((state) => state.heard);
  const playing = useListening((state) => state.playing);
  useEffect(() => {
    if (!played || !playing || heard?.title !== "Repetition test") {
      onSounding(null);
      return;
    }
    const zero = heard.opened.zero / heard.opened.rate;
    return player.onTick(() => {
      const now = [...played.moments].reverse().find((one) => one.at_s + zero <= live.position + 0.02);
      onSounding(now?.draw ?? null);
    });
  }, [played, playing, heard, onSounding]);
  useKeys({ playThrough: () => void play() });
  const number = (id: number) => draws.find((one) => one.id === id)?.number;
  const learnt = told.data?.learnt[0];
  const kept = draws.filter((one) => one.state === "kept").length;
  return (
    <Flex direction="column" gap="6px" role="group" aria-label="Repetition test">
      <Do act="playThrough" disabled={!told.data} onClick={() => void play()}>
        Play {kept ? `${kept} kept` : "all"} in turn
      </Do>
      <Controls
        model="Repetition"
        names={["plays", "interval_s", "jitter", "order"]}
        value={how}
        onChange={(values) => setHow({ ...set, ...values })}
      />
      {others.map((one) => (
        <Tick
          key={one.id}
          label={`In turn with ${one.name}`}
          on={chosen.includes(one.id)}
          onChange={(on) => setChosen(on ? [...chosen, one.id] : chosen.filter((id) => id !== one.id))}
        >
          in turn with {one.name}
        </Tick>
      ))}
      {learnt && (
        <Box fontSize="12px" color="dim" data-testid="learnt">
          Likeliest to be heard as one: <b>{number(learnt.one)}</b> and <b>{number(learnt.other)}</b>, {learnt.apart.toFixed(2)} apart.{" "}
          {learnt.enough > learnt.falls.length
            ? "No two of them pass for the same."
            : `${learnt.enough} of them can be kept before two pass for the same.`}{" "}
          Between one and itself come {learnt.again} others on the average.
          <Falls falls={learnt.falls} enough={learnt.enough} />
        </Box>
      )}
    </Flex>
  );
}

/** How far apart the nearest two are, as one after the other is kept. */
const Falls = memo(function Falls({ falls, enough }: { falls: readonly number[]; enough: number }) {
  const colours = useInk();
  const most = Math.max(...falls, 0.3);
  const wide = 200 / falls.length;
  const bar = (far: number, place: number) => {
    const high = (far / most) * 40 + 1;
    return `M${(place * wide + wide / 10).toFixed(1)} 45v${-high.toFixed(1)}h${Math.max(0.5, wide * 0.8).toFixed(1)}V45z`;
  };
  const [apart, alike] = [(place: number) => place + 2 <= enough, (place: number) => place + 2 > enough].map((which) =>
    falls.map((far, place) => (which(place) ? bar(far, place) : "")).join(""),
  );
  return (
    <svg viewBox="0 0 200 46" role="img" aria-label="How far apart the nearest two are for each further variation kept">
      <title>
        2 kept: the nearest two are {falls[0]?.toFixed(2)} apart; {falls.length + 1} kept: {falls[falls.length - 1]?.toFixed(2)}
      </title>
      <path d={apart} fill={colours.glass} />
      <path d={alike} fill={colours.amber} />
    </svg>
  );
});
