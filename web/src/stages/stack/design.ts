/** What is done to a design as a document: pure functions from mix to mix, and the lines that carry moments between a layer and its source. */
import type { Control, Envelope, Group, Member, Mix, Schemas } from "../../api/client";
import { freshId } from "../../between/send";
import { usual } from "../../ui/controls";

export type Placed = Schemas["Placed"];
export type Layout = Schemas["Layout"];

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

/** Put layers into a new group, or dissolve the group all of them are in. */
export function regrouped(mix: Mix, ids: readonly string[]): { mix: Mix; group: string | null } {
  const inside = new Set(mix.members.filter((one) => ids.includes(one.id)).map((one) => one.group));
  const [only] = [...inside];
  if (inside.size === 1 && only && mix.members.every((one) => one.group !== only || ids.includes(one.id)))
    return { mix: gathered({ ...changed(mix, ids, () => ({ group: "" })), groups: mix.groups.filter((one) => one.id !== only) }), group: null };
  const group: Group = {
    id: freshId("group"),
    name: `Group ${mix.groups.length + 1}`,
    gain_db: 0,
    pan: 0,
    back: 0,
    width: 1,
    mute: false,
    chain: [],
    colour: "",
    frozen: null,
  };
  return { mix: gathered({ ...changed(mix, ids, () => ({ group: group.id })), groups: [...mix.groups, group] }), group: group.id };
}

/** Copies behind their originals, at the same moment. */
export function duplicated(mix: Mix, ids: readonly string[]): { mix: Mix; ids: string[] } {
  const copies: string[] = [];
  const members = mix.members.flatMap((one) => {
    if (!ids.includes(one.id)) return [one];
    const copy = { ...one, id: freshId("layer"), locked: false };
    copies.push(copy.id);
    return [one, copy];
  });
  return { mix: { ...mix, members }, ids: copies };
}

/** Move layers by one place, or to the place before another layer. */
export function moved(mix: Mix, ids: readonly string[], to: -1 | 1 | { before: string | null }): Mix {
  const all = mix.members;
  const taken = all.filter((one) => ids.includes(one.id));
  const rest = all.filter((one) => !ids.includes(one.id));
  const first = all.findIndex((one) => ids.includes(one.id));
  const at =
    typeof to === "number"
      ? Math.max(0, Math.min(rest.length, all.slice(0, first).length + to))
      : to.before === null
        ? rest.length
        : rest.findIndex((one) => one.id === to.before);
  return gathered({ ...mix, members: [...rest.slice(0, Math.max(0, at)), ...taken, ...rest.slice(Math.max(0, at))] });
}

/** A value along straight lines between pairs; ``to`` 1 goes from a layer's own time to its source's, 0 back. */
export function carried(line: readonly number[][], value: number, to: 0 | 1): number {
  if (line.length < 2) return value;
  const from = to === 1 ? 0 : 1;
  const up = line[line.length - 1][from] > line[0][from];
  let i = 0;
  while (i < line.length - 2 && (up ? value > line[i + 1][from] : value < line[i + 1][from])) i++;
  const [a, b] = [line[i], line[i + 1]];
  return a[to] + ((value - a[from]) * (b[to] - a[to])) / (b[from] - a[from]);
}

/** Source seconds a second of the layer takes at its beginning; negative when it runs backwards. */
export function speedOf(placed: Placed): number {
  return (carried(placed.line, 1e-4, 1) - carried(placed.line, 0, 1)) / 1e-4;
}

/** The gain of a rising fade, as in the core. */
export function fadeGain(x: number, shape: string): number {
  if (shape === "equal power") return Math.sin((Math.PI / 2) * x);
  if (shape === "sine") return (1 - Math.cos(Math.PI * x)) / 2;
  if (shape === "logarithmic") return 1 - (10 ** (-3 * x) - 1e-3) / (1 - 1e-3);
  if (shape === "exponential") return (10 ** (3 * (x - 1)) - 1e-3) / (1 - 1e-3);
  return x;
}

/** Which number of a layer an envelope moves: its own, or one of a step of its chain. */
export interface Aim {
  control: string;
  step?: string;
  label: string;
  unit: string;
  low: number;
  high: number;
  log?: boolean;
  normal: number;
}

/** A control as what an envelope moves; of a layer's own the points are added to its value, of a step's they stand in place of it. */
export function aimAt(control: Control, normal = 0): Aim {
  const [low, high] = usual(control);
  return { control: control.name, label: control.label, unit: control.unit, low, high, log: control.scale === "log" && low > 0, normal };
}

export function envelopeOf(member: Member, aim: Aim): Envelope | null {
  const some = aim.step ? member.chain.find((one) => one.id === aim.step)?.envelopes : member.envelopes;
  return some?.find((one) => one.control === aim.control) ?? null;
}

/** The layer with an envelope put in, or taken away. */
export function withEnvelope(member: Member, aim: Aim, envelope: Envelope | null): Partial<Member> {
  const put = (some: Envelope[]) => [...some.filter((one) => one.control !== aim.control), ...(envelope ? [envelope] : [])];
  if (!aim.step) return { envelopes: put(member.envelopes) };
  return { chain: member.chain.map((one) => (one.id === aim.step ? { ...one, envelopes: put(one.envelopes) } : one)) };
}
