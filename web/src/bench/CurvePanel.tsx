/** The curves of a layer: which number moves, its points to draw, type, smooth, copy, and to capture from a control moved while it plays. */

import { Box, Flex } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";
import { create } from "zustand";
import { api, type Envelope, got, type Member, type Mix } from "../api/client";
import { useStepKinds } from "../chain/useStepKinds";
import { live, player } from "../listening/player";
import { useListening } from "../listening/state";
import { envelopeOf, withEnvelope } from "../mix/edits";
import { parsePoints, writePoints } from "../mix/envelope";
import { carried } from "../mix/line";
import { useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { Choose, Pick } from "../ui/choices";
import { useModels } from "../ui/controls";
import { TextField } from "../ui/fields";
import { Heading } from "../ui/frames";
import { complain, tell } from "../ui/messages";
import { Num } from "../ui/Num";
import { type Aim, aimAt, type Placed } from "./aims";
import { wide } from "./Placing";

/** A curve taken along from one layer to another. */
const useCopied = create<{ envelope: Envelope | null; label: string }>(() => ({ envelope: null, label: "" }));

const CURVES = ["lines", "eased", "steps"] as const;

/** Everything of a layer that may move: its own numbers, and those of its steps. */
export function useAims(member: Member | null, layout: Mix["layout"]): Aim[] {
  const kinds = useStepKinds();
  const own = useModels()?.Member?.controls ?? [];
  if (!member) return [];
  const front = own.filter((one) => one.moving && (one.name !== "back" || wide(layout))).map((one) => aimAt(one));
  const steps = member.chain.flatMap((step) =>
    (kinds[step.kind]?.controls ?? [])
      .filter((control) => control.moving)
      .map(
        (control): Aim => ({
          ...aimAt(control, Number((step.params as Record<string, unknown>)?.[control.name] ?? control.default)),
          step: step.id,
          label: `${kinds[step.kind].label}: ${control.label}`,
        }),
      ),
  );
  return [...front, ...steps];
}

interface Props {
  member: Member;
  placed: Placed | undefined;
  aim: Aim;
  aims: Aim[];
  pen: boolean;
  onAim: (aim: Aim) => void;
  onPen: (pen: boolean) => void;
  onEdit: (values: Partial<Member>, gesture?: string) => void;
}

export function CurvePanel({ member, placed, aim, aims, pen, onAim, onPen, onEdit }: Props) {
  const library = useShared((state) => state.library);
  const copied = useCopied();
  const envelope = envelopeOf(member, aim);
  const key = (one: Aim) => `${one.step ?? ""} ${one.control}`;
  const put = (next: Envelope | null, gesture?: string) => onEdit(withEnvelope(member, aim, next), gesture);
  const base: Envelope = envelope ?? { control: aim.control, points: [], curve: "lines", on: true };
  const type = (text: string) => {
    const points = parsePoints(text);
    if (points === null) tell("Write points as seconds and value, with commas between: 0 0, 0.5 -6, 1.2 -12.", true);
    else put(points.length ? { ...base, points } : null);
  };
  const smooth = async (points: number[][]) => {
    const tolerance = (aim.high - aim.low) / 150;
    const next = await got(
      api.POST("/api/lib/{library}/stack/smooth", {
        params: { path: { library } },
        body: { envelope: { ...base, points: points }, width_s: 0.08, tolerance },
      }),
    );
    put(next);
  };
  return (
    <Flex direction="column" gap="8px">
      <Choose
        label="What the curve moves"
        value={key(aim)}
        options={aims.map((one) => [key(one), one.label] as const)}
        onChange={(value) => {
          const next = aims.find((one) => key(one) === value);
          if (next) onAim(next);
        }}
      />
      <Box color="dim" fontSize="12px">
        Click on the layer for a point, drag it, double-click takes it away.{" "}
        {aim.step ? "It stands in place of the step's value." : "It is added to the layer's own value."}
      </Box>
      <Flex gap="6px" wrap="wrap">
        <Do on={pen} onClick={() => onPen(!pen)} hint="Draw the curve in one go">
          Draw
        </Do>
        <Do disabled={base.points.length < 3} onClick={() => void smooth(base.points).catch(complain)} hint="Rounder, with fewer points">
          Smooth
        </Do>
        <Do
          disabled={!base.points.length}
          on={envelope?.on === false}
          onClick={() => put({ ...base, on: !base.on })}
          hint="The curve is kept, and moves nothing"
        >
          Off
        </Do>
      </Flex>
      <Pick label="Between points" value={base.curve} options={CURVES} onChange={(curve) => put({ ...base, curve })} />
      <Box color="dim">Points: seconds of the sound, {aim.unit || "value"}</Box>
      <TextField label="Points of the curve" value={writePoints(base.points)} placeholder="0 0, 0.5 -6, 1.2 -12" onCommit={type} mono />
      <Flex gap="6px" wrap="wrap">
        <Do
          disabled={!base.points.length}
          onClick={() => {
            useCopied.setState({ envelope: base, label: aim.label });
            tell(`The ${aim.label.toLowerCase()} curve is copied; paste it on another layer.`);
          }}
        >
          Copy
        </Do>
        <Do
          disabled={!copied.envelope}
          hint={copied.envelope ? `Paste the ${copied.label.toLowerCase()} curve` : undefined}
          onClick={() => {
            if (!copied.envelope) return;
            const points = copied.envelope.points.map(([at, value]) => [at, Math.min(aim.high, Math.max(aim.low, value))]);
            put({ ...copied.envelope, control: aim.control, points });
          }}
        >
          Paste
        </Do>
        <Do disabled={!envelope} onClick={() => put(null)}>
          Remove curve
        </Do>
      </Flex>
      <Heading>Capture</Heading>
      <Capture aim={aim} placed={placed} onDone={(points) => void smooth(points).catch(complain)} />
    </Flex>
  );
}

/** Records what a control does while the sound plays. */
function Capture({ aim, placed, onDone }: { aim: Aim; placed: Placed | undefined; onDone: (points: number[][]) => void }) {
  const playing = useListening((state) => state.playing);
  const [armed, setArmed] = useState(false);
  const [value, setValue] = useState(aim.normal);
  const taken = useRef<number[][]>([]);
  const now = useRef(value);
  now.current = value;
  // biome-ignore lint/correctness/useExhaustiveDependencies: it belongs to one run of the sound
  useEffect(() => {
    if (!armed || !playing) return;
    const place = () => {
      const heard = useListening.getState().heard;
      if (!heard || !placed) return;
      const own = (live.position - heard.opened.zero) / heard.opened.rate - placed.start_s;
      if (own < 0 || own > placed.seconds) return;
      const at = Number(carried(placed.line, own, 1).toFixed(4));
      const last = taken.current[taken.current.length - 1];
      if (!last || Math.abs(at - last[0]) > 0.005) taken.current.push([at, Number(now.current.toFixed(3))]);
    };
    const off = player.onTick(place);
    return () => {
      off();
      setArmed(false);
      const sorted = [...taken.current].sort((a, b) => a[0] - b[0]).filter((one, i, all) => !i || one[0] - all[i - 1][0] > 1e-4);
      taken.current = [];
      if (sorted.length > 1) onDone(sorted);
    };
  }, [armed, playing]);
  return (
    <Flex direction="column" gap="4px">
      <Num
        label={armed ? `${aim.label}: move it while it plays` : aim.label}
        value={value}
        unit={aim.unit}
        low={aim.low}
        high={aim.high}
        log={aim.log}
        digits={aim.high - aim.low > 4 ? 1 : 2}
        normal={aim.normal}
        onChange={(next) => setValue(next)}
      />
      <Flex>
        <Do
          on={armed}
          onClick={() => {
            if (armed && playing) {
              player.stop();
              return;
            }
            taken.current = [];
            setArmed(!armed);
            const heard = useListening.getState().heard;
            if (!armed && heard && placed) void player.play(heard, Math.max(0, placed.start_s + heard.opened.zero / heard.opened.rate));
          }}
          hint="Plays the layer's part of the sum; what the control does meanwhile becomes the curve"
        >
          {armed ? "End capture" : "Capture while it plays"}
        </Do>
      </Flex>
    </Flex>
  );
}
