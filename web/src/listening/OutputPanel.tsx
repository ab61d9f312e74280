/** Where and how the sound comes out. Nothing here reaches a render. */
import { Box, Flex } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { UNITS, type UnitChoice } from "../canvas/ruler";
import { setFrameRate, useProject } from "../session/projects";
import { useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { Choose, Pick } from "../ui/choices";
import { ControlOf, useControl } from "../ui/controls";
import { Heading } from "../ui/frames";
import { useKeys } from "../ui/keys";
import { complain } from "../ui/messages";
import { Blind } from "./Blind";
import { Image } from "./Image";
import { openToHear } from "./opening";
import { player } from "./player";
import { isReference } from "./referring";
import { useListening } from "./state";

export function OutputPanel({ onClose }: { onClose: () => void }) {
  const { mono, safe, headphones, ruler, reference, output, outputRate, heard } = useListening();
  const project = useProject();
  const frameRate = useControl("ProjectSettings", "frame_rate");
  const [devices, setDevices] = useState<MediaDeviceInfo[]>([]);
  useKeys({ leave: onClose }, { over: true });
  useEffect(() => {
    const list = () =>
      navigator.mediaDevices?.enumerateDevices().then(
        (found) => setDevices(found.filter((device) => device.kind === "audiooutput" && device.deviceId)),
        () => setDevices([]),
      );
    void list();
    navigator.mediaDevices?.addEventListener("devicechange", list);
    return () => navigator.mediaDevices?.removeEventListener("devicechange", list);
  }, []);
  const other = heard && outputRate && heard.opened.rate !== outputRate;
  return (
    <Flex
      role="region"
      aria-label="Output"
      position="absolute"
      bottom="84px"
      right="16px"
      w="320px"
      direction="column"
      gap="9px"
      bg="raised"
      border="1px solid"
      borderColor="line"
      borderRadius="10px"
      p="14px"
      zIndex={20}
    >
      <Heading>Listening only, never in a file</Heading>
      <Choose
        label="Output device"
        value={output}
        options={[["", "The system's own output"], ...devices.map((device) => [device.deviceId, device.label || "an output"] as const)]}
        onChange={(chosen) => void player.setOutput(chosen)}
      />
      <Flex gap="8px" wrap="wrap">
        <Do on={mono} hint="Hear left and right summed to one" onClick={() => player.setMono(!mono)}>
          Mono check
        </Do>
        <Do on={safe} hint="Nothing louder than -1 dBFS leaves, whatever is opened" onClick={() => player.setSafe(!safe)}>
          Safety limit
        </Do>
        <Do
          on={headphones}
          hint="Surround and ambisonic sounds as they reach both ears round a head; mono and stereo stay as they are"
          onClick={() => player.setHeadphones(!headphones)}
        >
          Headphones
        </Do>
      </Flex>
      <Pick
        label="Working level on the meters, dBFS"
        value={String(reference)}
        options={["-24", "-20", "-18"]}
        onChange={(chosen) => useListening.setState({ reference: Number(chosen) })}
      />
      <Box color="dim">Rulers and positions show</Box>
      <Choose
        label="Rulers and positions show"
        value={ruler}
        options={UNITS}
        onChange={(chosen) => useListening.setState({ ruler: chosen as UnitChoice })}
      />
      {project && (
        <ControlOf control={frameRate} value={project.frame_rate} onChange={(rate) => void setFrameRate(project.id, String(rate)).catch(complain)} />
      )}
      <Image />
      <Box color={other ? "amber" : "dim"} fontSize="12px">
        {outputRate
          ? other
            ? `The output runs at ${outputRate / 1000} kHz, this sound at ${heard.opened.rate / 1000} kHz: what you hear is converted, files are not.`
            : `The output runs at ${outputRate / 1000} kHz.`
          : "The rate of the output is known once something is heard."}
      </Box>
      <BlindReference />
    </Flex>
  );
}

/** What is heard and the reference, in any stage: whether there is a difference, heard without knowing which is which. */
function BlindReference() {
  const library = useShared((state) => state.library);
  const reference = useShared((state) => state.reference);
  // what was heard when the panel was opened: the comparison itself is heard afterwards
  const [heard] = useState(() => useListening.getState().heard);
  if (!heard || !reference || isReference(heard) || heard.sound === reference.sound) return null;
  return (
    <>
      <Heading>Blind, against the reference</Heading>
      <Blind
        one={{ name: heard.title, hear: async () => heard }}
        other={{ name: reference.name, hear: () => openToHear({ sound: reference.sound }, library, reference.name) }}
      />
    </>
  );
}
