/** What can be done to the layers of a design by hand and by key: every act one change of the document. */
import { useRef } from "react";
import { api, type Group, got, type Member, type Mix } from "../api/client";
import { layerOf } from "../between/send";
import { frameRate } from "../canvas/ruler";
import type { History } from "../documents/useDocument";
import { live } from "../listening/player";
import { useListening } from "../listening/state";
import { changed, duplicated, grouped, groupOf, moved, removed, shifted, stepped, ungrouped } from "../mix/edits";
import { freshId } from "../mix/fresh";
import { carried } from "../mix/line";
import { useProject } from "../session/projects";
import { useShared } from "../session/store";
import { slipped } from "../timeline/clips";
import { complain, tell } from "../ui/messages";
import type { Aim, Layout } from "./aims";
import type { LayerActs } from "./LayerClip";
import { useBeds } from "./useBeds";

const round = (value: number) => Number(value.toFixed(6));

export function useLayers(
  history: History<Mix>,
  mix: Mix,
  chosen: string[],
  setChosen: (ids: string[]) => void,
  layout: Layout | null,
  aim: Aim | null,
) {
  const library = useShared((state) => state.library);
  const project = useShared((state) => state.project);
  const counting = useProject();
  const members = mix.members.filter((one) => chosen.includes(one.id));
  const free = members.filter((one) => !one.locked);
  const member = mix.members.find((one) => one.id === chosen[chosen.length - 1]) ?? null;
  const group = mix.groups.find((one) => one.id === chosen[chosen.length - 1]) ?? null;
  const change = (next: Mix, gesture?: string) => history.change(next, gesture);
  const ids = (some: Member[]) => some.map((one) => one.id);

  const latest = () => history.now() ?? mix;
  const edit = (id: string, values: Partial<Member>, gesture?: string) =>
    change(
      changed(latest(), [id], () => values),
      gesture ? `${id} ${gesture}` : undefined,
    );
  const editGroup = (id: string, values: Partial<Group>, gesture?: string) =>
    change(
      { ...latest(), groups: latest().groups.map((one) => (one.id === id ? { ...one, ...values } : one)) },
      gesture ? `${id} ${gesture}` : undefined,
    );
  const each = (values: (one: Member) => Partial<Member>, gesture?: string) =>
    free.length &&
    change(
      changed(latest(), ids(free.filter((one) => !one.frozen || !("pitch_st" in values(one)))), values),
      gesture ? `${chosen.join()} ${gesture}` : undefined,
    );
  const choose = (id: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    if (event.shiftKey && chosen.length) {
      const order = mix.members.map((one) => one.id);
      const [a, b] = [order.indexOf(chosen[0]), order.indexOf(id)].sort((x, y) => x - y);
      if (a >= 0) setChosen([...order.slice(a, b + 1).filter((one) => one !== id), id]);
    } else if (event.ctrlKey || event.metaKey) setChosen(chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id]);
    else setChosen([id]);
  };

  const beds = useBeds(latest, change);
  /** What the memoised lanes call: always the present acts, through one object that stays. */
  const now = useRef({ edit, editGroup, choose, mix, chosen, aim, change });
  now.current = { edit, editGroup, choose, mix, chosen, aim, change };
  const clipActs = useRef<LayerActs>({
    choose: (id, event) => now.current.choose(id, event),
    alone: (id) => now.current.chosen.length > 1 && now.current.choose(id, { shiftKey: false, ctrlKey: false, metaKey: false }),
    edit: (id, values, gesture) => now.current.edit(id, values, gesture),
    together: (id) => {
      const { chosen: some, mix: doc } = now.current;
      const all = some.includes(id) ? some : [id];
      return doc.members.filter((one) => all.includes(one.id) && !one.locked).map((one) => one.id);
    },
    shift: (some, seconds) => now.current.change(shifted(now.current.mix, some, seconds)),
  }).current;
  const dropped = useRef<(id: string, places: number) => void>(() => {});
  dropped.current = (id, places) => {
    const some = chosen.includes(id) ? chosen : [id];
    const at = mix.members.findIndex((one) => one.id === id);
    const rest = mix.members.filter((one) => !some.includes(one.id));
    const target = mix.members[Math.max(0, Math.min(mix.members.length, at + places + (places > 0 ? 1 : 0)))];
    change(moved(mix, some, rest.find((one) => one.id === target?.id)?.id ?? null));
  };

  const roll = async (some: string[], keepLength: boolean) => {
    try {
      const found = await got(
        api.POST("/api/lib/{library}/stack/roll", {
          params: { path: { library } },
          body: { mix, ids: some, keep_length: keepLength, seed: null, project },
        }),
      );
      change(found.mix);
      if (found.said.length) tell(found.said.join(" "), true);
    } catch (error) {
      complain(error);
    }
  };
  const freeze = async () => {
    const layers = ids(members);
    const frozen = members.some((one) => one.frozen) || !!group?.frozen;
    if (frozen) {
      change({
        ...changed(mix, layers, () => ({ frozen: null })),
        groups: mix.groups.map((one) => (one.id === group?.id ? { ...one, frozen: null } : one)),
      });
      return;
    }
    try {
      const next = await got(
        api.POST("/api/lib/{library}/stack/freeze", { params: { path: { library } }, body: { mix, ids: group ? [group.id] : layers } }),
      );
      change(next);
    } catch (error) {
      complain(error);
    }
  };
  const renew = async (some: string[]) => {
    try {
      const done = await got(api.POST("/api/lib/{library}/stack/renew", { params: { path: { library } }, body: { mix, ids: some } }));
      if (done.changed.length) change(done.mix);
      tell(
        done.changed.length
          ? `${done.changed.join(", ")} taken as ${done.changed.length === 1 ? "it is" : "they are"} now.`
          : "Nothing newer to take.",
      );
    } catch (error) {
      complain(error);
    }
  };
  /** Put a sound or a design in as a layer. */
  const add = async (what: { sound?: number; design?: number }) => {
    try {
      const layer = what.sound
        ? await layerOf(library, what.sound, mix.layout)
        : await got(api.GET("/api/lib/{library}/stack/layer", { params: { path: { library }, query: { design: what.design } } }));
      change({ ...latest(), members: [...latest().members, layer] });
      setChosen([layer.id]);
    } catch (error) {
      complain(error);
    }
  };
  const fill = async (words: string) => {
    try {
      const found = await got(
        api.POST("/api/lib/{library}/stack/fill", { params: { path: { library } }, body: { mix, words, seed: null, project } }),
      );
      change(found.mix);
      setChosen(found.mix.members.slice(mix.members.length).map((one) => one.id));
      if (found.said.length) tell(found.said.join(" "), true);
      // what found nothing stays in the line, to be said in other words
      return found.said.length === 0;
    } catch (error) {
      complain(error);
      return false;
    }
  };
  const remove = () => {
    if (!members.length) return;
    const next = removed(mix, chosen);
    const rest = next.members;
    change(next);
    const at = mix.members.findIndex((one) => one.id === chosen[0]);
    setChosen(rest.length ? [rest[Math.min(at, rest.length - 1)].id] : []);
  };
  /** Into a new group; out of the one that is chosen, or that the chosen layers make up. */
  const toGroup = () => {
    const whole = group?.id ?? groupOf(mix, ids(members));
    if (whole) {
      change(ungrouped(mix, whole));
      if (group) setChosen([]);
    } else if (members.length) {
      const id = freshId("group");
      change(grouped(mix, ids(members), id));
      setChosen([id]);
    }
  };
  const duplicate = () => {
    if (!members.length) return;
    const fresh = members.map(() => freshId("layer"));
    change(duplicated(mix, ids(members), fresh));
    setChosen(fresh);
  };
  const nudge = (event: KeyboardEvent, sign: number) => {
    if (event.altKey && event.shiftKey) return slip(sign);
    const by = event.altKey ? 1 / frameRate(counting?.frame_rate ?? "25").exact : event.shiftKey ? 0.01 : 0.001;
    each((one) => ({ at_s: round(one.at_s + sign * by) }), "nudge");
  };
  /** What is inside of the chosen layers a frame later or earlier, under edges that stay. */
  const slip = (sign: number, frame_rate = counting?.frame_rate ?? "25") => {
    const by = sign / frameRate(frame_rate).exact;
    const found = new Map<string, Partial<Member>>();
    for (const one of free) {
      const placed = layout?.layers.find((other) => other.id === one.id);
      const { at_s, start_s = null, end_s = null } = one;
      const to = placed && !one.frozen && slipped({ at_s, start_s, end_s, whole_s: placed.whole_s, line: placed.line }, by);
      if (to) found.set(one.id, to);
    }
    if (!found.size) tell("There is nothing more inside on that side; trim an edge first, then what is inside can slip.");
    else each((one) => found.get(one.id) ?? {}, "slip");
  };
  /** The playhead in the time of the layer's source, through its trims, pitch and direction. */
  const trimTo = (edge: "start_s" | "end_s") => {
    const placed = layout?.layers.find((one) => one.id === member?.id);
    const heard = useListening.getState().heard;
    if (!member || !placed || !heard || member.locked || member.frozen) return;
    const own = (live.position - heard.opened.zero) / heard.opened.rate - placed.start_s;
    const forward = carried(placed.line, 1, 1) > carried(placed.line, 0, 1);
    const other = forward ? edge : edge === "start_s" ? "end_s" : "start_s";
    edit(member.id, { [other]: round(Math.min(placed.whole_s, Math.max(0, carried(placed.line, own, 1)))) });
  };
  return {
    members,
    member,
    group,
    edit,
    editGroup,
    each,
    clipActs,
    choose: (id: string, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => now.current.choose(id, event),
    dropped,
    now,
    roll,
    freeze,
    renew,
    add,
    fill,
    remove,
    toGroup,
    duplicate,
    nudge,
    slip,
    trimTo,
    toBed: beds.toBed,
    redraw: beds.redraw,
    longer: (sign: 1 | -1) => free.length && beds.longer(ids(free), sign),
    shift: (semitones: number) => each((one) => ({ pitch_st: Math.max(-48, Math.min(36, one.pitch_st + semitones)) }), "pitch"),
    move: (by: -1 | 1) => members.length && change(stepped(mix, ids(members), by)),
  };
}
