import { Box, chakra, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, got } from "../../api/client";
import { seconds } from "../../app/format";
import { useKeys } from "../../app/keys";
import { Do, Pick } from "../../app/parts";
import { complain, queries, tell, useShared } from "../../app/store";
import { Recorder } from "../../listening/recorder";

/** Record from an input of the browser; audio is stored by the server as it comes. */
export function RecordPanel({ onClose }: { onClose: () => void }) {
  const library = useShared((state) => state.library);
  const recorder = useRef<Recorder | null>(null);
  const [state, setState] = useState<"idle" | "armed" | "recording" | "ending">("idle");
  const [inputs, setInputs] = useState<MediaDeviceInfo[]>([]);
  const [device, setDevice] = useState("");
  const [bits, setBits] = useState<"24 bit" | "32 float">("24 bit");
  const [name, setName] = useState("Take");
  const [number, setNumber] = useState(1);
  const [level, setLevel] = useState({ db: -90, clipped: false, at: 0 });
  const [takes, setTakes] = useState<{ name: string; seconds: number }[]>([]);
  const unfinished = useQuery({ queryKey: ["state"], queryFn: () => got(api.GET("/api/state")) });
  const arm = async () => {
    try {
      recorder.current ??= new Recorder(library);
      recorder.current.level = (peak, clipped, at) => setLevel({ db: 20 * Math.log10(Math.max(peak, 3e-5)), clipped, at });
      await recorder.current.arm(device);
      setInputs(await Recorder.inputs());
      setState("armed");
    } catch (error) {
      complain(error);
    }
  };
  const toggle = async () => {
    const here = recorder.current;
    if (!here) return;
    try {
      if (state === "armed") {
        await here.start(`${name.trim() || "Take"} ${String(number).padStart(2, "0")}`, bits === "24 bit" ? 24 : 32);
        setState("recording");
      } else if (state === "recording") {
        setState("ending");
        const done = await here.stop();
        setTakes((before) => [done, ...before]);
        setNumber((before) => before + 1);
        void queries.invalidateQueries();
        tell(`${done.name}, ${seconds(done.seconds)}, is in the library.`);
        setState("armed");
      }
    } catch (error) {
      complain(error);
      setState("armed");
    }
  };
  useEffect(() => () => void recorder.current?.disarm(), []);
  const leave = async () => {
    if (state === "recording") await toggle();
    onClose();
  };
  useKeys({ leave: () => void leave(), commit: () => void toggle() });
  const recover = async (take: string) => {
    try {
      const done = await got(api.POST("/api/lib/{library}/takes/{take}/finish", { params: { path: { library, take } } }));
      void queries.invalidateQueries();
      tell(`${done.name}, ${seconds(done.seconds)}, was recovered.`);
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Flex direction="column" gap="10px" bg="raised" borderBottom="1px solid" borderColor="line" p="14px" role="region" aria-label="Record">
      <Flex gap="12px" align="end" wrap="wrap">
        <Box>
          <Box color="dim" mb="3px">
            Input
          </Box>
          <chakra.select
            aria-label="Input"
            value={device}
            onChange={(event) => setDevice(event.target.value)}
            bg="ground"
            border="1px solid"
            borderColor="line"
            borderRadius="7px"
            px="8px"
            py="4px"
            maxW="150px"
          >
            <option value="">Default input</option>
            {inputs.map((input) => (
              <option key={input.deviceId} value={input.deviceId}>
                {input.label || "an input"}
              </option>
            ))}
          </chakra.select>
        </Box>
        <Box>
          <Box color="dim" mb="3px">
            Name of the take
          </Box>
          <Flex gap="6px">
            <chakra.input
              aria-label="Name of the take"
              value={name}
              onChange={(event) => setName(event.target.value)}
              bg="ground"
              border="1px solid"
              borderColor="line"
              borderRadius="7px"
              px="8px"
              py="4px"
              w="140px"
            />
            <Box fontFamily="mono" alignSelf="center" color="dim">
              {String(number).padStart(2, "0")}
            </Box>
          </Flex>
        </Box>
        <Pick label="Stored as" value={bits} options={["24 bit", "32 float"]} onChange={setBits} />
        <Do on={state !== "idle"} disabled={state === "recording" || state === "ending"} onClick={() => void arm()}>
          {state === "idle" ? "Arm" : "Armed"}
        </Do>
        <Do main disabled={state === "idle" || state === "ending"} onClick={() => void toggle()} hint="Start or end the take (Enter)">
          {state === "recording" ? "End take" : state === "ending" ? "Storing …" : "Start take"}
        </Do>
        <Do quiet act="leave" onClick={() => void leave()}>
          Close
        </Do>
      </Flex>
      <Flex gap="12px" align="center">
        <Box
          flex={1}
          h="10px"
          bg="ground"
          borderRadius="5px"
          overflow="hidden"
          role="meter"
          aria-label="Input level"
          aria-valuenow={Math.round(level.db)}
          aria-valuemin={-60}
          aria-valuemax={0}
        >
          <Box
            h="100%"
            w={`${Math.max(0, Math.min(100, ((level.db + 60) / 60) * 100))}%`}
            bg={level.clipped ? "coral" : level.db > -6 ? "amber" : "glass"}
          />
        </Box>
        <Box fontFamily="mono" fontSize="12px" w="74px">
          {state === "idle" ? "not armed" : `${level.db.toFixed(1)} dB`}
        </Box>
        <Box fontFamily="mono" fontSize="12px" w="74px" color={state === "recording" ? "coral" : "dim"}>
          {state === "recording" ? seconds(level.at) : ""}
        </Box>
        {level.clipped && <Box color="coral">clipped: lower the gain</Box>}
      </Flex>
      <Flex gap="14px" color="dim" wrap="wrap">
        {takes.length === 0 && (
          <Box>Nothing is done to the sound: no echo cancel, no automatic gain. It is stored as it arrives; a closed tab loses nothing.</Box>
        )}
        {takes.map((take) => (
          <Box key={take.name}>
            {take.name}{" "}
            <Box as="span" fontFamily="mono" fontSize="12px">
              {seconds(take.seconds)}
            </Box>
          </Box>
        ))}
        {state === "idle" &&
          unfinished.data?.unfinished_takes.map((take) => (
            <Do key={take} onClick={() => void recover(take)}>
              Recover {take}
            </Do>
          ))}
      </Flex>
    </Flex>
  );
}
