"""The difference of two versions of a design, in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeVar

from oskren.core.envelope import Envelope
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Group, Loop, Member, Mix, Node, Step
from oskren.core.steps.base import REGISTRY

T = TypeVar("T")

FIELDS: tuple[tuple[str, str, str], ...] = (
    ("gain_db", "gain", "dB"),
    ("pan", "pan", ""),
    ("back", "front/back", ""),
    ("width", "width", ""),
    ("pitch_st", "pitch", "st"),
    ("stretch", "stretch", "×"),
    ("at_s", "moved", "s"),
    ("anchor_s", "anchor", "s"),
    ("start_s", "start", "s"),
    ("end_s", "end", "s"),
    ("fade_in_s", "fade in", "s"),
    ("fade_out_s", "fade out", "s"),
    ("fade_in_shape", "fade-in curve", ""),
    ("fade_out_shape", "fade-out curve", ""),
    ("role", "role", ""),
    ("name", "name", ""),
)
SWITCHES: tuple[tuple[str, str, str], ...] = (
    ("mute", "muted", "no longer muted"),
    ("reverse", "reversed", "forward again"),
    ("keep_length", "pitch with length kept", "pitch by varispeed"),
    ("locked", "locked", "unlocked"),
)
CURVES = {"gain_db": "gain", "pan": "pan", "back": "front/back", "pitch_st": "pitch"}


def differences(before: Mix, after: Mix, thing: str = "layer") -> list[str]:
    """What was changed from one version to another: one phrase for each layer, group and step that differs, in the order of the later one.

    Layers are told apart by their ids, so a renamed or moved layer is the same layer; ``thing`` is what one is called.
    """
    known, now = _by_id(before.members), _by_id(after.members)
    said = told_apart(
        known,
        now,
        lambda one: one.name or f"a {thing}",
        lambda old, new: [*_member(old, new), *_moved_to(before, after, old, new)],
        made=lambda _: "added",
    )
    kept = [key for key in known if key in now]
    if kept != [key for key in now if key in known]:
        said.append(f"{thing}s in another order")
    groups, later = {one.id: one for one in before.groups}, {one.id: one for one in after.groups}
    said += told_apart(groups, later, lambda one: f"group {one.name}", _group, made=lambda _: "made", gone="dissolved")
    said += chain_differences(before.chain, after.chain)
    if before.layout != after.layout:
        said.append(f"the sum is {after.layout}")
    if before.rate != after.rate:
        said.append(f"rate {_value(before.rate, 'Hz')} to {_value(after.rate, 'Hz')}")
    return said


def told_apart(
    before: Mapping[str, T],
    after: Mapping[str, T],
    called: Callable[[T], str],
    changes: Callable[[T, T], list[str]],
    *,
    made: Callable[[T], str],
    gone: str = "removed",
) -> list[str]:
    """What became of things that are told apart by their ids: one phrase for each that went, came or changed, in the order of the later ones.

    Parameters
    ----------
    before, after : dict
        By id.
    called : callable
        What one is called.
    changes : callable
        What sets two states of one apart, in phrases; none where nothing does.
    made : callable
        What is said of one that came.
    gone : str
        What is said of one that went.
    """
    said = [f"{called(one)} {gone}" for id, one in before.items() if id not in after]
    for id, one in after.items():
        if id not in before:
            said.append(f"{called(one)} {made(one)}")
        elif phrases := changes(before[id], one):
            said.append(f"{called(one)}: {', '.join(phrases)}")
    return said


def _by_id(members: Sequence[Member]) -> dict[str, Member]:
    return {member.id or str(i): member for i, member in enumerate(members)}


def _value(value: Any, unit: str) -> str:
    if value is None:
        return "none"
    if isinstance(value, float | int):
        return f"{round(value, 4):g}{f' {unit}' if unit else ''}"
    return str(value) or "none"


def _change(name: str, old: Any, new: Any, unit: str) -> str:
    number = isinstance(old, float | int) and isinstance(new, float | int)
    return f"{name} {_value(old, '' if number else unit)} to {_value(new, unit)}"


def _member(old: Member, new: Member) -> list[str]:
    said = _source(old.node, new.node)
    said += [_change(name, getattr(old, field), getattr(new, field), unit) for field, name, unit in FIELDS if getattr(old, field) != getattr(new, field)]
    said += [yes if getattr(new, field) else no for field, yes, no in SWITCHES if getattr(old, field) != getattr(new, field)]
    if (old.frozen is None) != (new.frozen is None):
        said.append("thawed" if new.frozen is None else "frozen")
    said += _curves(old.envelopes, new.envelopes, CURVES)
    return said + chain_differences(old.chain, new.chain)


def _source(old: Node, new: Node) -> list[str]:
    if node_hash(old) == node_hash(new):
        return []
    one, other = (node.node if isinstance(node, Loop) else node for node in (old, new))
    if node_hash(one) != node_hash(other):
        return ["another source"]
    if not isinstance(old, Loop) or not isinstance(new, Loop):
        return ["goes on as a bed" if isinstance(new, Loop) else "no longer goes on"]
    said = [_change("goes on for", old.length_s, new.length_s, "s")] if old.length_s != new.length_s else []
    same = old.model_copy(update={"length_s": new.length_s, "seed": new.seed})
    if node_hash(same) != node_hash(new):
        said.append("another stretch goes on")
    if old.seed != new.seed:
        said.append("goes on with the same again" if new.seed is None else "goes on in another order")
    return said


def _moved_to(before: Mix, after: Mix, old: Member, new: Member) -> list[str]:
    if old.group == new.group:
        return []
    name = next((group.name for group in after.groups if group.id == new.group), "")
    return [f"in the group {name}" if name else "in no group"]


def _group(old: Group, new: Group) -> list[str]:
    said = [_change(name, getattr(old, field), getattr(new, field), unit) for field, name, unit in FIELDS[:4] if getattr(old, field) != getattr(new, field)]
    if old.name != new.name:
        said.append(_change("name", old.name, new.name, ""))
    if old.mute != new.mute:
        said.append("muted" if new.mute else "no longer muted")
    if (old.frozen is None) != (new.frozen is None):
        said.append("thawed" if new.frozen is None else "frozen")
    return said + chain_differences(old.chain, new.chain)


def _curves(old: Sequence[Envelope], new: Sequence[Envelope], names: dict[str, str]) -> list[str]:
    before, after = ({one.control: one for one in some if one.moves} for some in (old, new))
    said = []
    for control in dict.fromkeys([*before, *after]):
        name = names.get(control, control)
        if control not in after:
            said.append(f"{name} curve removed")
        elif control not in before:
            said.append(f"{name} curve added")
        elif before[control] != after[control]:
            said.append(f"{name} curve changed")
    return said


def _label(step: Step) -> str:
    return REGISTRY[step.kind].label if step.known else step.kind


def _keys(chain: Sequence[Step]) -> dict[str, Step]:
    """Steps by their id, or by kind and count where they have none."""
    found: dict[str, Step] = {}
    for step in chain:
        count = sum(one.kind == step.kind for one in found.values())
        found[step.id or f"{step.kind} {count}"] = step
    return found


def chain_differences(old: Sequence[Step], new: Sequence[Step]) -> list[str]:
    """What sets two chains apart, one phrase a step."""
    before, after = _keys(old), _keys(new)
    said = told_apart(before, after, _label, _step, made=lambda _: "added")
    if [key for key in before if key in after] != [key for key in after if key in before]:
        said.append("steps in another order")
    return said


def _step(old: Step, new: Step) -> list[str]:
    said = [] if old.on == new.on else ["on" if new.on else "off"]
    names: dict[str, str] = {}
    if old.kind == new.kind and new.known:
        before, after = old.values(), new.values()
        for name, spec in type(after).model_fields.items():
            label = (spec.title or name).lower()
            names[name] = label
            if getattr(before, name) != getattr(after, name):
                extra = spec.json_schema_extra if isinstance(spec.json_schema_extra, dict) else {}
                said.append(_change(label, getattr(before, name), getattr(after, name), str(extra.get("unit", ""))))
    elif old != new and old.kind != new.kind:
        said.append(f"instead of {_label(old)}")
    said += _curves(old.envelopes, new.envelopes, names)
    limits = ("start_s", "end_s", "channels", "low_hz", "high_hz", "fade_s", "tail")
    if any(getattr(old, name) != getattr(new, name) for name in limits):
        said.append("other limits")
    return said
