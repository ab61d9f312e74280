import { Box, Flex } from "@chakra-ui/react";
import { useMemo, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { ControlOf, useControl } from "../../ui/controls";
import { Heading, Line, Side } from "../../ui/frames";
import { complain } from "../../ui/messages";
import { ComparePanel } from "./ComparePanel";
import { MapView } from "./MapView";
import { RepetitionPanel } from "./RepetitionPanel";
import type { Draw } from "./useJudgements";
import type { Spread } from "./Vary";

interface Props {
  data: Spread | undefined;
  draws: Draw[];
  at: number;
  other: Draw | null;
  sounding: number | null;
  spreads: Schemas["SpreadHead"][];
  onPlay: (index: number) => void;
  onSounding: (draw: number | null) => void;
  onJudge: (state: "kept" | "dropped") => void;
  onKeepOnly: (ids: readonly number[]) => void;
  onOther: (draw: number | null) => void;
  onSheet: () => void;
  onRedraw: () => void;
  onNear: (draw: number, between: number | null) => void;
  onDesign: () => void;
}

const FEW = 3;

/** What is learnt of a spread and done with it: the map, near-identical pairs, two compared, the repetition test, what is kept. */
export function SpreadSide(props: Props) {
  const { data, draws, at, other, onJudge } = props;
  const library = useShared((state) => state.library);
  const counted = useControl("Counted", "most");
  const [most, setMost] = useState(8);
  const [pairs, setPairs] = useState(FEW);
  const draw = draws[at];
  const kept = draws.filter((one) => one.state === "kept").length;
  const dropped = draws.filter((one) => one.state === "dropped").length;
  const alike = useMemo(() => {
    const left = new Set(draws.filter((one) => one.state !== "dropped").map((one) => one.id));
    return (data?.alike ?? []).filter((pair) => left.has(pair.one) && left.has(pair.other));
  }, [data?.alike, draws]);
  const number = (id: number) => draws.find((one) => one.id === id)?.number;
  const keepMost = async () => {
    if (!data) return;
    try {
      const path = { library, id: data.id };
      const found = await got(api.GET("/api/lib/{library}/spreads/{id}/most-different", { params: { path, query: { count: most } } }));
      props.onKeepOnly(found.draws);
    } catch (error) {
      complain(error);
    }
  };
  const comparing = data && draw && other && other.id !== draw.id;
  return (
    <Side label="How far apart they sound">
      <Flex gap="6px" wrap="wrap">
        <Do act="keep" disabled={!draw} onClick={() => onJudge("kept")}>
          Keep
        </Do>
        <Do act="drop" disabled={!draw} onClick={() => onJudge("dropped")}>
          Drop
        </Do>
        <Do act="compare" disabled={!draw} on={other !== null} onClick={() => props.onOther(other ? null : (draw?.id ?? null))}>
          Compare
        </Do>
      </Flex>
      <Box fontFamily="mono" fontSize="12px" whiteSpace="nowrap" data-testid="kept">
        <Box as="span" color="glass">
          {kept} kept
        </Box>{" "}
        {dropped} dropped
      </Box>
      {comparing && (
        <ComparePanel
          spread={data.id}
          one={draw}
          other={other}
          onBetween={() => props.onNear(draw.id, other.id)}
          onLeave={() => props.onOther(null)}
        />
      )}
      {other && !comparing && <Box color="dim">No {other.number} is compared with the next one you choose.</Box>}
      <Line />
      <Heading>How far apart they sound</Heading>
      <MapView draws={draws} alike={alike} at={at} sounding={props.sounding} onPlay={props.onPlay} />
      {alike.length > 0 && (
        <Box fontSize="12px" role="group" aria-label="Near-identical pairs">
          {alike.slice(0, pairs).map((pair) => (
            <Do
              key={`${pair.one} ${pair.other}`}
              quiet
              onClick={() => {
                props.onOther(pair.one);
                props.onPlay(draws.findIndex((one) => one.id === pair.other));
              }}
              hint="Compare these two"
            >
              {number(pair.one)} and {number(pair.other)}, {pair.apart.toFixed(2)} apart
            </Do>
          ))}
          {alike.length > pairs && (
            <Do quiet onClick={() => setPairs(alike.length)}>
              {alike.length - pairs} more pairs
            </Do>
          )}
        </Box>
      )}
      <ControlOf control={counted} value={most} onChange={(next: number) => setMost(Math.round(next))} />
      <Flex gap="6px" wrap="wrap">
        <Do
          disabled={!draws.some((one) => one.ready)}
          onClick={() => void keepMost()}
          hint="Keep those that sound most different, of all that are not dropped"
        >
          Keep the {most} most different
        </Do>
        <Do disabled={!dropped} onClick={props.onRedraw} hint="Draw the dropped ones anew; the kept ones stay">
          Redraw dropped
        </Do>
        <Do disabled={!draw?.ready} onClick={() => draw && props.onNear(draw.id, null)} hint="Draw more around this one, in a quarter of the ranges">
          More around this one
        </Do>
        <Do disabled={!draw?.ready} onClick={props.onDesign} hint="Open this variation in Stack, as a design of its own">
          Open as a design
        </Do>
        <Do act="toShip" disabled={!kept} onClick={props.onSheet} hint="Put the kept ones on the sheet of Ship as they are">
          Kept to sheet
        </Do>
      </Flex>
      <Line />
      <Heading>Repetition test</Heading>
      {data && draws.filter((one) => one.ready).length > 1 ? (
        <RepetitionPanel
          spread={data.id}
          draws={draws}
          others={props.spreads
            .filter((one) => one.id !== data.id && (data.family.includes(one.id) || (one.design !== null && one.design === data.design)))
            .slice(0, 4)}
          onSounding={props.onSounding}
        />
      ) : (
        <Box color="dim">It plays two or more variations one after the other, as a game would.</Box>
      )}
      {data && (
        <Box color="dim" fontSize="11px" mt="auto">
          {data.matched && `Matched to ${data.matched}. `}
          Drawn with {data.made_with}. On the same versions the same seed gives the same audio.
        </Box>
      )}
    </Side>
  );
}
