/** A layer as a clip on its lane: what the timeline draws of it, and what its handles mean for the layer. */
import { memo, useMemo, useRef } from "react";
import type { Member } from "../api/client";
import { envelopeOf, withEnvelope } from "../mix/edits";
import { Clip } from "../timeline/Clip";
import type { ClipActs, Placed as Clipped } from "../timeline/clips";
import type { Aim, Placed } from "./aims";
import { tones } from "./tones";

export interface LayerActs extends Pick<ClipActs, "choose" | "alone" | "together" | "shift" | "snap" | "seen"> {
  edit: (id: string, values: Partial<Member>, gesture?: string) => void;
}

interface Props {
  member: Member;
  placed: Placed;
  scale: number;
  from: number;
  height: number;
  beside: number;
  chosen: boolean;
  faded: boolean;
  colour: string;
  aim: Aim | null;
  pen: boolean;
  /** What else is to be known of it, in a word. */
  told?: string;
  /** What its beginning is counted from, in words. */
  since?: string;
  acts: LayerActs;
}

function clipOf(member: Member, placed: Placed, colour: string, aim: Aim | null, told: string): Clipped {
  const { id, name, at_s, anchor_s, gain_db, locked } = member;
  const steps = member.chain.filter((one) => one.on).length;
  return {
    ...{ id, name, at_s, anchor_s, gain_db, locked },
    start_s: member.start_s ?? null,
    end_s: member.end_s ?? null,
    seconds: placed.seconds,
    laid_s: placed.start_s,
    whole_s: placed.whole_s,
    line: placed.line,
    picture: { digest: placed.digest, frames: placed.frames, channels: placed.channels },
    fades: { in_s: member.fade_in_s, out_s: member.fade_out_s, in_shape: member.fade_in_shape, out_shape: member.fade_out_shape },
    tone: tones(member.role, member.colour || colour),
    frozen: !!member.frozen,
    hint: locked ? "Locked" : member.frozen ? "Frozen: thaw to change it" : "Drag to move, Alt-drag to slip what is inside",
    words: [
      ...(told ? [told] : []),
      ...(member.pitch_st ? [`${member.pitch_st > 0 ? "+" : ""}${Number(member.pitch_st.toFixed(2))} st`] : []),
      ...(steps ? [steps === 1 ? "1 step" : `${steps} steps`] : []),
    ],
    curve: aim ? envelopeOf(member, aim) : null,
  };
}

export const LayerClip = memo(function LayerClip({ member, placed, colour, aim, acts, since = "from the strike line", told = "", ...rest }: Props) {
  const clip = useMemo(() => clipOf(member, placed, colour, aim, told), [member, placed, colour, aim, told]);
  const now = useRef({ member, aim });
  now.current = { member, aim };
  const clipActs = useMemo(
    (): ClipActs => ({
      ...acts,
      trim: (id, edges) => acts.edit(id, edges),
      fade: (id, { in_s, out_s }) => acts.edit(id, in_s === undefined ? { fade_out_s: out_s } : { fade_in_s: in_s }),
      anchor: (id, anchor_s, at_s) => acts.edit(id, { anchor_s, at_s }),
      slip: (id, to) => acts.edit(id, to),
      curve: (id, envelope) => {
        const { member: layer, aim: what } = now.current;
        if (what) acts.edit(id, withEnvelope(layer, what, envelope));
      },
    }),
    [acts],
  );
  return <Clip {...rest} clip={clip} aim={aim} label={since} acts={clipActs} />;
});
