import { Box, Flex } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import * as session from "../../listening/recording";
import { useRecording } from "../../listening/recording";
import { Do } from "../../ui/buttons";
import { Choose } from "../../ui/choices";
import { Input, TextField } from "../../ui/fields";
import { seconds } from "../../ui/format";
import { useKeys } from "../../ui/keys";
import { Meter, verdict } from "./Meter";
import { NotesForm } from "./NotesForm";

/** Record from an input of the browser; audio is stored by the server as it comes. */
export function RecordPanel({ onClose, onDevice }: { onClose: () => void; onDevice: () => void }) {
  const here = useRecording();
  const { state, delivered } = here;
  const [noting, setNoting] = useState(false);
  const busy = state !== "idle" && state !== "armed";
  const put = useRecording.setState;
  useEffect(
    () => () => {
      // a take goes on while other stages are looked at; an input that nobody records from is let go
      if (useRecording.getState().state === "armed") void session.disarm();
    },
    [],
  );
  useKeys(
    {
      leave: onClose,
      commit: () => void session.toggleTake(),
      keep: session.toggleGood,
      anchor: session.markMoment,
    },
    { over: true },
  );
  const check = verdict(here.peaks, here.clips);
  return (
    <Flex direction="column" gap="8px" bg="raised" borderBottom="1px solid" borderColor="line" p="12px" role="region" aria-label="Record">
      <Flex gap="8px" align="center" wrap="wrap">
        <Choose
          label="Input"
          value={here.device}
          maxW="170px"
          options={[
            ["", "Default input"],
            ...here.inputs.filter((one) => one.deviceId).map((one) => [one.deviceId, one.label || "an input"] as const),
          ]}
          onChange={(device) => (state === "idle" ? put({ device }) : busy ? undefined : void session.arm(device))}
        />
        <Do on={state !== "idle"} disabled={busy} onClick={() => void (state === "idle" ? session.arm() : session.disarm())}>
          {state === "idle" ? "Arm" : state === "arming" ? "Arming …" : "Armed"}
        </Do>
        <Do on={here.monitor} onClick={() => session.setMonitor(!here.monitor)} hint="Hear the input; with headphones, or it howls">
          Monitor {here.monitor ? "on" : "off"}
        </Do>
        <Box color="dim" fontSize="12px" flex={1} minW="120px" data-testid="delivered">
          {delivered
            ? `${delivered.rate / 1000} kHz, ${delivered.channels === 1 ? "1 channel" : `${delivered.channels} channels`}, ${delivered.bits ? `${delivered.bits} bit` : "bits not told"} delivered`
            : "Arm to see what the input delivers."}
          {delivered && delivered.processed.length > 0 && (
            <Box as="span" color="coral">
              {" "}
              The browser changes the sound ({delivered.processed.join(", ")}); choose another input.
            </Box>
          )}
        </Box>
        <Do quiet onClick={onDevice} hint="The simulated recorder with its props and places">
          Field recorder
        </Do>
        <Do quiet act="leave" onClick={onClose}>
          Close
        </Do>
      </Flex>
      <Flex gap="12px" align="center">
        <Meter levels={here.levels} peaks={here.peaks} clips={here.clips} onClear={session.clearMeter} />
        <Box fontSize="12px" w="196px" color={state !== "idle" && check.bad ? "coral" : "dim"} role="status" aria-live="off">
          {state === "idle" ? "" : check.text}
          {here.floor !== null && state !== "idle" && (
            <Box color="dim" fontFamily="mono" fontSize="11px">
              quiet of the room {here.floor.toFixed(0)} dBFS
            </Box>
          )}
        </Box>
      </Flex>
      <Flex gap="8px" align="center" wrap="wrap">
        <Input label="Name of the take" value={here.name} disabled={busy} onChange={(event) => put({ name: event.target.value })} w="150px" />
        <Input
          label="Number of the take"
          mono
          type="number"
          min={1}
          value={here.number}
          disabled={busy}
          onChange={(event) => put({ number: Math.max(1, Number(event.target.value) || 1) })}
          w="58px"
        />
        <Box flex={1} minW="140px">
          <TextField label="Slate note" placeholder="Slate note: what is heard, how it was made" value={here.note} onCommit={session.say} />
        </Box>
        <Choose
          label="Stored as"
          value={String(here.bits)}
          options={[
            ["24", "24 bit"],
            ["32", "32 bit float"],
          ]}
          onChange={(bits) => !busy && put({ bits: bits === "24" ? 24 : 32 })}
        />
        <Choose
          label="Count-in"
          value={String(here.countIn)}
          options={[
            ["0", "no count-in"],
            ["3", "count 3 s"],
            ["5", "count 5 s"],
            ["10", "count 10 s"],
          ]}
          onChange={(count) => put({ countIn: Number(count) })}
        />
        <Do on={here.pre} disabled={busy} onClick={() => put({ pre: !here.pre })} hint="The 5 s before the start belong to the take">
          5 s before
        </Do>
      </Flex>
      <Flex gap="8px" align="center" minH="32px">
        <Do main act="commit" disabled={state === "idle" || state === "arming" || state === "ending"} onClick={() => void session.toggleTake()}>
          {state === "recording" ? "End take" : state === "ending" ? "Storing …" : state === "counting" ? "Stop the count" : "Start take"}
        </Do>
        <Box fontFamily="mono" fontSize="18px" minW="96px" color={state === "recording" ? "coral" : "amber"} data-testid="take-time">
          {state === "recording" ? `${here.seconds.toFixed(1)} s` : state === "counting" ? `in ${here.left} s` : ""}
        </Box>
        {state === "recording" && (
          <>
            <Do act="keep" on={here.good} onClick={session.toggleGood}>
              {here.good ? "Good take" : "Mark as good"}
            </Do>
            <Do act="anchor" onClick={session.markMoment}>
              Mark the moment
            </Do>
            {here.marks.length > 0 && <Box color="dim">{here.marks.length} marked</Box>}
            {here.held > 1.5 && (
              <Box color="coral" role="status">
                The server is away: {here.held.toFixed(0)} s wait here and are sent when it is back.
              </Box>
            )}
          </>
        )}
        {here.wanted && (
          <Flex align="center" gap="6px" bg="amberSoft" color="amber" borderRadius="6px" px="8px" py="2px">
            answers “{here.wanted.what}”
            <Do quiet hint="Takes answer no entry of the wanted list" onClick={() => put({ wanted: null })}>
              ×
            </Do>
          </Flex>
        )}
        <Box flex={1} />
        <Do quiet on={noting} onClick={() => setNoting(!noting)} hint="Place, microphone, weather …: all takes of the session have them">
          Notes of the session
        </Do>
        {here.arrival > 0 && !busy && (
          <Do quiet onClick={session.newSession} hint="The next takes are an arrival of their own">
            New session
          </Do>
        )}
      </Flex>
      {noting && <NotesForm notes={here.notes} onChange={session.noteSession} />}
      <Flex gap="12px" color="dim" wrap="wrap" fontSize="12px" data-testid="takes">
        {here.takes.length === 0 && state !== "recording" && (
          <Box>Nothing is done to the sound: no echo cancel, no automatic gain. It is stored as it arrives; a closed page loses nothing.</Box>
        )}
        {here.takes.slice(0, 8).map((take) => (
          <Box key={take.sound} color={take.good ? "glass" : undefined}>
            {take.name}{" "}
            <Box as="span" fontFamily="mono">
              {seconds(take.seconds)}
            </Box>
            {take.good ? " good" : ""}
          </Box>
        ))}
      </Flex>
    </Flex>
  );
}
