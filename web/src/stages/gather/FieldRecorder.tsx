import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { Along } from "../../listening/along";
import { queries } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { ControlOf } from "../../ui/controls";
import { seconds } from "../../ui/format";
import { useKeys } from "../../ui/keys";
import { complain } from "../../ui/messages";
import { Meter, verdict } from "./Meter";

type View = Schemas["RecorderView"];
type Change = Partial<Schemas["RecorderChange"]>;

const LOOK_MS = 120;
const db = (value: number) => (value > 0 ? Math.max(-96, 20 * Math.log10(value)) : -96);

function air(place: Schemas["PlaceView"] | undefined): string {
  if (!place) return "";
  const parts = [
    place.wind_db > 70 ? "strong wind" : place.wind_db > 40 ? "some wind" : "",
    place.hum_db > 42 ? "mains hum" : place.hum_db > 34 ? "a little hum" : "",
    place.decay_s > 1.5 ? "long room" : place.decay_s > 0.7 ? "bright room" : place.decay_s > 0 ? "small room" : "open air",
    place.passing ? `now and then ${place.passing}` : "",
  ];
  return parts.filter(Boolean).join(", ");
}

/** The simulated field recorder: props to play, a place to fight, takes on a card. */
export function FieldRecorder({ onClose, onInput, onCard }: { onClose: () => void; onInput: () => void; onCard: () => void }) {
  const [view, setView] = useState<View | null>(null);
  const [chosen, setEffort] = useState<number | null>(null);
  const [hearing, setHearing] = useState(false);
  const along = useRef(new Along());
  const acts = useRef(0);
  const kit = useQuery({ queryKey: ["kit"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/recorder/kit")) });
  const control = (name: string) => kit.data?.controls.find((one) => one.name === name);
  const effort = chosen ?? Number(control("effort")?.default ?? 0);
  const on = view?.on ?? false;
  useEffect(() => {
    void got(api.GET("/api/recorder", { params: { query: {} } })).then(setView, complain);
  }, []);
  // the meter: looked at several times a second for as long as the panel is shown
  useEffect(() => {
    if (!on) return;
    let stopped = false;
    const look = async () => {
      const before = acts.current;
      try {
        const fresh = await got(api.GET("/api/recorder", { params: { query: { files: false } } }));
        // what was asked before an act and answered after it is out of date
        if (!stopped && before === acts.current) setView((shown) => ({ ...fresh, files: shown?.files ?? [] }));
      } catch {
        // the server is away for a moment; the next look tells
      }
      if (!stopped) timer = setTimeout(() => void look(), LOOK_MS);
    };
    let timer = setTimeout(() => void look(), LOOK_MS);
    return () => {
      stopped = true;
      clearTimeout(timer);
    };
  }, [on]);
  useEffect(() => {
    const here = along.current;
    if (on && hearing && kit.data) void here.start(kit.data.rate);
    return () => here.stop();
  }, [on, hearing, kit.data]);
  const took = (fresh: View) => {
    acts.current += 1;
    setView(fresh);
    void queries.invalidateQueries({ queryKey: ["card"] });
  };
  const change = (values: Change) =>
    void got(
      api.PATCH("/api/recorder", {
        body: {
          on: null,
          place: null,
          gain_db: null,
          low_cut: null,
          shield: null,
          distance_m: null,
          angle_deg: null,
          clear_meter: false,
          ...values,
        },
      }),
    ).then(took, complain);
  const turn = () => {
    if (!on) return;
    void got(api.POST(view?.recording ? "/api/recorder/stop" : "/api/recorder/start")).then(took, complain);
  };
  const play = (prop: string) => void got(api.POST("/api/recorder/play", { body: { prop, effort } })).catch(complain);
  useKeys({ leave: onClose, commit: turn }, { over: true });
  if (!view || !kit.data) return null;
  const place = kit.data.places.find((one) => one.key === view.place);
  const levels = view.peaks.map(db);
  const held = view.held.map(db);
  const check = verdict(held, view.clips);
  return (
    <Flex direction="column" gap="8px" bg="raised" borderBottom="1px solid" borderColor="line" p="12px" role="region" aria-label="Field recorder">
      <Flex gap="8px" align="center">
        <Do on={on} onClick={() => change({ on: !on })}>
          {on ? "Recorder on" : "Switch on"}
        </Do>
        <Box color="dim" fontSize="12px" flex={1} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
          Simulated: {kit.data.rate / 1000} kHz, 24 bit, stereo. {on ? air(place) : "Its sounds are made by physical models; no hardware is needed."}
        </Box>
        <Do quiet onClick={onInput} hint="Record from an input of this browser">
          Browser input
        </Do>
        <Do quiet act="leave" onClick={onClose}>
          Close
        </Do>
      </Flex>
      {on && (
        <>
          <Flex gap="12px" align="center">
            <Choose
              label="Place"
              value={view.place}
              options={kit.data.places.map((one) => [one.key, one.name] as const)}
              onChange={(key) => change({ place: key })}
            />
            <Box w="120px">
              <ControlOf control={control("distance_m")} value={view.distance_m} onChange={(metres) => change({ distance_m: metres })} />
            </Box>
            <Box w="120px">
              <ControlOf control={control("gain_db")} value={view.gain_db} onChange={(db) => change({ gain_db: db })} />
            </Box>
            <Do on={view.low_cut} onClick={() => change({ low_cut: !view.low_cut })} hint="A high-pass at 80 Hz before the converter">
              Low-cut
            </Do>
            <Do on={view.shield} onClick={() => change({ shield: !view.shield })} hint="Takes 22 dB off the wind in the capsules">
              Wind shield
            </Do>
            <Do on={hearing} onClick={() => setHearing(!hearing)} hint="Hear what the microphones get">
              Listen along
            </Do>
          </Flex>
          <Flex gap="12px" align="center">
            <Meter
              levels={levels}
              peaks={held}
              clips={view.clips}
              names={["Recorder left", "Recorder right"]}
              onClear={() => change({ clear_meter: true })}
            />
            <Box fontSize="12px" w="196px" color={check.bad ? "coral" : "dim"} role="status" aria-live="off">
              {check.text}
              <Box color="amber" minH="17px">
                {view.passing && `${view.passing} passes`}
              </Box>
            </Box>
          </Flex>
          <Flex gap="8px" align="center" wrap="wrap">
            <Box w="130px">
              <ControlOf control={control("effort")} value={effort} onChange={(share) => setEffort(share)} />
            </Box>
            {kit.data.props.map((prop) => (
              <Do
                key={prop.key}
                onClick={() => play(prop.key)}
                hint={`${prop.gesture[0].toUpperCase()}${prop.gesture.slice(1)} it once, with this effort at this distance`}
              >
                {prop.name}
              </Do>
            ))}
          </Flex>
        </>
      )}
      <Flex gap="10px" align="center" minH="32px">
        <Do main act="commit" disabled={!on} onClick={turn}>
          {view.recording ? "End take" : "Start take"}
        </Do>
        <Box fontFamily="mono" fontSize="13px" color={view.recording ? "coral" : "dim"} minW="150px" data-testid="recorder-time">
          {view.recording ? `${view.recording} ${view.seconds.toFixed(1)} s` : ""}
        </Box>
        {view.trouble && (
          <Box color="coral" role="alert">
            {view.trouble}
          </Box>
        )}
        <Box
          flex={1}
          color="dim"
          fontSize="12px"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          textAlign="right"
          data-testid="card"
          title={view.card}
        >
          {view.files.length
            ? `On the card: ${view.files
                .slice(-3)
                .map((file) => `${file.name.split("/").pop()} ${seconds(file.seconds)}`)
                .join(", ")}${view.files.length > 3 ? ` and ${view.files.length - 3} more` : ""}`
            : "The card is empty."}
        </Box>
        <Do disabled={!view.files.length || !!view.recording} onClick={onCard} hint="Copy the takes into the library, name them, check every copy">
          Offload the card
        </Do>
      </Flex>
    </Flex>
  );
}
