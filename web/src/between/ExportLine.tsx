import { Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Target } from "../api/client";
import { Do } from "../ui/buttons";
import { Choose } from "../ui/choices";
import { useModels } from "../ui/controls";
import { Input } from "../ui/fields";
import { useFormats } from "../ui/formats";
import { type Exporting, exportFiles } from "./export";
import { DRY, type HeardSo } from "./heard";

const CHANNELS = ["keep", "mono", "stereo", "quad", "5.1", "7.1", "ambix"] as const;
const RATES = ["44100", "48000", "88200", "96000", "192000"] as const;

/** The bits each sound was recorded in. */
const OWN = "its bits";

interface Props {
  /** What is written, and how it is heard, asked for when it is written. */
  what: () => Exporting;
  heard?: () => HeardSo;
  /** Resolves when what is written is kept as it is shown. */
  ready?: () => Promise<void>;
  title: string;
}

/** Files out: folder, format, channels, rate. */
export function ExportLine({ what, heard = () => DRY, ready = async () => {}, title }: Props) {
  const [open, setOpen] = useState(false);
  const models = useModels();
  const formats = useFormats();
  const [format, setFormat] = useState("wav its bits");
  const [channels, setChannels] = useState<string>("keep");
  const [rate, setRate] = useState("");
  if (!open)
    return (
      <Do quiet onClick={() => setOpen(true)} hint="Write to a folder, each file read back and checked">
        {title}
      </Do>
    );
  const write = (folder: string) => {
    const [kind, bits] = format.split(/ (.*)/);
    const target: Target = {
      ...(models?.Target?.defaults as Target),
      format: kind,
      bits: OWN === bits || bits === undefined ? null : (Number(bits) as Target["bits"]),
      channels: channels as Target["channels"],
      rate: rate ? Number(rate) : null,
    };
    void ready().then(() => exportFiles(what(), folder.trim(), target, heard()));
    setOpen(false);
  };
  return (
    <Flex gap="4px" align="center" wrap="wrap" role="group" aria-label={title}>
      <Input
        label="Folder to export to"
        autoFocus
        mono
        w="170px"
        py="2px"
        placeholder="Folder ↵ (empty: hand-over)"
        onKeyDown={(event) => {
          if (event.key === "Escape") setOpen(false);
          if (event.key === "Enter") write(event.currentTarget.value);
        }}
      />
      <Choose
        label="Format"
        value={format}
        options={formats
          .flatMap(({ key, bits }) => (bits.length ? [OWN, ...bits].map((one) => `${key} ${one}`) : [key]))
          .map((one) => [one, one] as const)}
        onChange={setFormat}
      />
      <Choose
        label="Channels"
        value={channels}
        options={CHANNELS.map((one) => [one, one === "keep" ? "its channels" : one] as const)}
        onChange={setChannels}
      />
      <Choose
        label="Rate"
        value={rate}
        options={[["", "its rate"], ...RATES.map((one) => [one, `${Number(one) / 1000} kHz`] as const)]}
        onChange={setRate}
      />
    </Flex>
  );
}
