/** What is done to a mix: pure functions, as the core has them (oskren/core/stack/edits.py), for what must be seen while it is done. */
import type { Envelope, Member, Mix } from "../api/client";
import { freshGroup } from "./fresh";

const round = (seconds: number) => Number(seconds.toFixed(6));

/** Fields of layers set, to values that may differ from layer to layer. */
export function changed(mix: Mix, ids: readonly string[], values: (member: Member) => Partial<Member>): Mix {
  return { ...mix, members: mix.members.map((one) => (ids.includes(one.id) ? { ...one, ...values(one) } : one)) };
}

/** Layers of a group stand together, at the place of its first one. */
export function gathered(mix: Mix): Mix {
  const seen = new Set<string>();
  const known = new Set(mix.groups.map((group) => group.id));
  const members = mix.members.flatMap((member) => {
    if (!member.group || !known.has(member.group)) return [member.group ? { ...member, group: "" } : member];
    if (seen.has(member.group)) return [];
    seen.add(member.group);
    return mix.members.filter((one) => one.group === member.group);
  });
  return { ...mix, members, groups: mix.groups.filter((group) => seen.has(group.id)) };
}

/** Layers in a new group of that id, called by how many groups there are. */
export function grouped(mix: Mix, ids: readonly string[], id: string): Mix {
  const group = freshGroup(id, `Group ${mix.groups.length + 1}`);
  return gathered({ ...changed(mix, ids, () => ({ group: id })), groups: [...mix.groups, group] });
}

/** Without a group; its layers stay where they are. */
export function ungrouped(mix: Mix, id: string): Mix {
  return gathered({ ...mix, groups: mix.groups.filter((one) => one.id !== id) });
}

/** The one group that layers make up, all of it; null when they are of several or of none. */
export function groupOf(mix: Mix, ids: readonly string[]): string | null {
  const [only, ...others] = new Set(mix.members.filter((one) => ids.includes(one.id)).map((one) => one.group));
  return only && !others.length && mix.members.every((one) => one.group !== only || ids.includes(one.id)) ? only : null;
}

/** Copies behind their originals, at the same moment, unlocked; ``fresh`` are their ids, in order. */
export function duplicated(mix: Mix, ids: readonly string[], fresh: readonly string[]): Mix {
  let at = 0;
  const members = mix.members.flatMap((one) => (ids.includes(one.id) ? [one, { ...one, id: fresh[at++], locked: false }] : [one]));
  return { ...mix, members };
}

/** Layers, in their order, before another one, or at the end. */
export function moved(mix: Mix, ids: readonly string[], before: string | null): Mix {
  const taken = mix.members.filter((one) => ids.includes(one.id));
  const rest = mix.members.filter((one) => !ids.includes(one.id));
  const at =
    before === null
      ? rest.length
      : Math.max(
          0,
          rest.findIndex((one) => one.id === before),
        );
  return gathered({ ...mix, members: [...rest.slice(0, at), ...taken, ...rest.slice(at)] });
}

/** Layers moved by so many places, as far as there are places. */
export function stepped(mix: Mix, ids: readonly string[], by: number): Mix {
  const first = Math.max(
    0,
    mix.members.findIndex((one) => ids.includes(one.id)),
  );
  const rest = mix.members.filter((one) => !ids.includes(one.id));
  return moved(mix, ids, rest[Math.max(0, Math.min(rest.length, first + by))]?.id ?? null);
}

/** Layers later by so many seconds; locked ones stay. */
export function shifted(mix: Mix, ids: readonly string[], byS: number): Mix {
  const free = mix.members.filter((one) => ids.includes(one.id) && !one.locked).map((one) => one.id);
  return changed(mix, free, (one) => ({ at_s: round(one.at_s + byS) }));
}

/** Without layers; a group that loses its last one is gone too. */
export function removed(mix: Mix, ids: readonly string[]): Mix {
  return gathered({ ...mix, members: mix.members.filter((one) => !ids.includes(one.id)) });
}

/** What an envelope moves: a number of the layer, or of one of its steps. */
export interface Moved {
  control: string;
  step?: string;
}

export function envelopeOf(member: Member, aim: Moved): Envelope | null {
  const some = aim.step ? member.chain.find((one) => one.id === aim.step)?.envelopes : member.envelopes;
  return some?.find((one) => one.control === aim.control) ?? null;
}

/** The layer with an envelope put in, or taken away. */
export function withEnvelope(member: Member, aim: Moved, envelope: Envelope | null): Partial<Member> {
  const put = (some: Envelope[]) => [...some.filter((one) => one.control !== aim.control), ...(envelope ? [envelope] : [])];
  if (!aim.step) return { envelopes: put(member.envelopes) };
  return { chain: member.chain.map((one) => (one.id === aim.step ? { ...one, envelopes: put(one.envelopes) } : one)) };
}
