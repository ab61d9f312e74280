"""Paths: every number and choice of a design by name, read and set.

A path is written like a JSON pointer (RFC 6901: ``~1`` for a slash and ``~0`` for a tilde within a name), without the first slash:

- ``layers/ID/FIELD`` and ``groups/ID/FIELD``, where a field is one of the member's or group's controls
- ``layers/ID/present``: whether it is heard; ``layers/ID/source``: what it is made of
- ``OWNER/chain/STEP/PARAMETER``, ``OWNER/chain/STEP/on`` and ``OWNER/chain/order``, the owner being a layer, a group or ``sum``
- ``OWNER/envelopes/CONTROL/POINT/time`` and ``.../value``, the owner being a layer or a step; points count from 0

A layer or step without an id is named by its place, counted from 0.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal, TypeVar

from oskren.core.controls import Control, controls_of
from oskren.core.envelope import Envelope
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Frozen, Group, Member, Mix, Step
from oskren.core.steps.base import kind_of

How = Literal["by", "times", "choice", "share", "source", "order"]
"""What a control moves by: a difference, a factor, one of its values, a share of the draws, another source, another order."""

CONTROLS = {model: {one.name: one for one in controls_of(model)} for model in (Member, Group)}
LEFT_OUT = {"mute", "locked", "colour", "role", "anchor_s"}
"""Fields that are no freedom: how a layer is worked on. Whether it is heard is ``present``."""

Part = TypeVar("Part", bound=Frozen)


@dataclass(frozen=True)
class Held:
    """One control of a design: what it is, its value, and how the design is with another one."""

    path: str
    control: Control
    how: How
    own: Any
    to: Callable[[Any], Mix]


def escaped(name: str) -> str:
    """A name as a part of a path.

    >>> escaped("hit/2"), unescaped(escaped("hit/2"))
    ('hit~12', 'hit/2')
    """
    return name.replace("~", "~0").replace("/", "~1")


def unescaped(part: str) -> str:
    """The name that a part of a path stands for."""
    return part.replace("~1", "/").replace("~0", "~")


def ids(those: Sequence[Member | Step | Group]) -> list[str]:
    """How members, steps or groups are named in paths."""
    return [one.id or str(place) for place, one in enumerate(those)]


def held(mix: Mix, path: str) -> Held:
    """The control a path names.

    Raises
    ------
    OskrenError
        When the design has no such control; the sentence says what it has.
    """
    parts = [unescaped(part) for part in path.split("/")]
    match parts:
        case ["layers" | "groups", id, *rest] if rest:
            layers = parts[0] == "layers"
            those: Sequence[Member | Group] = mix.members if layers else mix.groups
            owner, put = _one(those, id, lambda fresh: mix.model_copy(update={"members" if layers else "groups": fresh}), "layer" if layers else "group", path)
            return _of_owner(owner, put, rest, path)
        case ["sum", "chain", *rest] if rest:
            return _of_chain(mix.chain, lambda chain: mix.model_copy(update={"chain": chain}), rest, path)
    raise _unknown(path, "a path begins with layers, groups or sum/chain")


def _unknown(path: str, why: str) -> OskrenError:
    return OskrenError(f"The recipe frees {path}, which this design does not have: {why}.")


def _one(those: Sequence[Part], id: str, put: Callable[[tuple[Part, ...]], Mix], called: str, path: str) -> tuple[Part, Callable[[Part], Mix]]:
    """The member, group or step that is named so, and how the design is with another in its place."""
    names = ids(those)  # type: ignore[arg-type]
    if id not in names:
        raise _unknown(path, f"its {called}s are {', '.join(names)}" if names else f"it has no {called}")
    place = names.index(id)
    return those[place], lambda fresh: put((*those[:place], fresh, *those[place + 1 :]))


def _of_owner(owner: Member | Group, put: Callable[[Any], Mix], rest: list[str], path: str) -> Held:
    if rest[0] == "chain" and len(rest) > 1:
        return _of_chain(owner.chain, lambda chain: put(owner.model_copy(update={"chain": chain})), rest[1:], path)
    if isinstance(owner, Member):
        match rest:
            case ["present"]:
                return Held(path, _said("present", "Present", True), "share", not owner.mute, lambda value: put(owner.model_copy(update={"mute": not value})))
            case ["source"]:
                return Held(path, _said("source", "Source", None), "source", owner, put)
            case ["envelopes", name, place, edge]:
                return _of_point(owner, put, name, place, edge, CONTROLS[Member].get(name), path)
    control = CONTROLS[type(owner)].get(rest[0])
    if len(rest) != 1 or control is None or rest[0] in LEFT_OUT:
        raise _unknown(path, f"it has no control {'/'.join(rest)}")
    own = getattr(owner, control.name)
    return Held(path, control, _how(control), _begun(own, control), lambda value: put(owner.model_copy(update={control.name: value})))


def _of_chain(chain: tuple[Step, ...], put: Callable[[tuple[Step, ...]], Mix], rest: list[str], path: str) -> Held:
    if rest == ["order"]:
        if len(chain) < 2:
            raise _unknown(path, "there are no two steps to change places")
        return Held(path, _said("order", "Order of the steps", None), "order", chain, put)
    step, set_step = _one(chain, rest[0], put, "step", path)
    match rest[1:]:
        case ["on"]:
            return Held(path, _said("on", "On", True), "share", step.on, lambda value: set_step(step.model_copy(update={"on": value})))
        case ["envelopes", name, place, edge]:
            return _of_point(step, set_step, name, place, edge, _params(step).get(name), path)
        case [name] if name in _params(step):
            control = _params(step)[name]
            own = getattr(step.values(), name)
            return Held(
                path, control, _how(control), _begun(own, control), lambda value: set_step(step.model_copy(update={"params": {**step.params, name: value}}))
            )
    raise _unknown(path, f"{kind_of(step.kind).label if step.known else step.kind} has no control {'/'.join(rest[1:]) or 'of that name'}")


def _params(step: Step) -> dict[str, Control]:
    return {one.name: one for one in controls_of(kind_of(step.kind).params)} if step.known else {}


def _of_point(owner: Any, put: Callable[[Any], Mix], name: str, place: str, edge: str, control: Control | None, path: str) -> Held:
    envelopes: tuple[Envelope, ...] = owner.envelopes
    at = next((i for i, one in enumerate(envelopes) if one.control == name), None)
    if at is None or control is None or edge not in ("time", "value") or not place.isdecimal() or int(place) >= len(envelopes[at].points):
        raise _unknown(path, "no such point lies on a curve of it")
    points, point, side = envelopes[at].points, int(place), 0 if edge == "time" else 1
    if side == 0:
        # a point stays between its neighbours, a millisecond from each
        low = points[point - 1][0] + 1e-3 if point else None
        high = points[point + 1][0] - 1e-3 if point + 1 < len(points) else None
        control = Control(name="time", label=f"{control.label}, point {point + 1}, time", control="number", default=0.0, low=low, high=high, unit="s", digits=3)
    else:
        control = control.model_copy(update={"label": f"{control.label}, point {point + 1}"})

    def to(value: float) -> Mix:
        moved = (value, points[point][1]) if side == 0 else (points[point][0], value)
        fresh = envelopes[at].model_copy(update={"points": (*points[:point], moved, *points[point + 1 :])})
        return put(owner.model_copy(update={"envelopes": (*envelopes[:at], fresh, *envelopes[at + 1 :])}))

    return Held(path, control, _how(control), points[point][side], to)


def _said(name: str, label: str, default: Any) -> Control:
    return Control(name=name, label=label, control="choice", default=default)


def _begun(own: Any, control: Control) -> Any:
    """The value a number moves from where none is set: where its slider stands then."""
    return (control.begins if control.begins is not None else control.low or 0.0) if own is None and control.control in ("number", "moment") else own


def _how(control: Control) -> How:
    if control.control == "switch":
        return "share"
    if control.control == "choice":
        return "choice"
    return "times" if control.scale == "log" else "by"


class Freeable(Frozen):
    """A control of a design that may be freed: where it is, what it is, its own value and the range it usually moves in."""

    path: str
    owner: str
    """Path of what it belongs to: a layer, a group, the sum."""
    part: str = ""
    """The step or the curve it is of; empty for the owner's own."""
    control: Control
    how: How
    own: float | int | bool | str | None
    usual: tuple[float, float]


def usual_range(one: Held) -> tuple[float, float]:
    """What a number is moved by when it is freed: by its unit where that says how much is heard, else a tenth of the slider's range; a factor of 1.25."""
    if one.how == "times":
        return (0.92, 1.08) if one.control.name == "stretch" else (0.8, 1.25)
    if one.how != "by":
        return (0.0, 0.0)
    by = {"st": 1.0, "dB": 2.0}.get(one.control.unit)
    if by is None:
        by = {"at_s": 0.02, "start_s": 0.02, "time": 0.02, "pan": 0.2}.get(one.control.name)
    if by is None:
        low, high = one.control.usual or (one.control.low or 0.0, one.control.high or 1.0)
        by = (high - low) / 10
    return (-by, by)


def freeable(mix: Mix) -> list[Freeable]:
    """All that may be freed of a design, in the order of its layers, groups and the sum."""
    found = []
    for path, owner, part in _paths(mix):
        one = held(mix, path)
        own = None if one.how in ("source", "order") else one.own
        found.append(Freeable(path=path, owner=owner, part=part, control=one.control, how=one.how, own=own, usual=usual_range(one)))
    return found


def _paths(mix: Mix) -> list[tuple[str, str, str]]:
    found: list[tuple[str, str, str]] = []
    owners: list[tuple[str, Member | Group]] = [(f"layers/{escaped(id)}", one) for id, one in zip(ids(mix.members), mix.members, strict=True)]
    owners += [(f"groups/{escaped(one.id)}", one) for one in mix.groups]
    for at, one in owners:
        names = [name for name in CONTROLS[type(one)] if name not in LEFT_OUT]
        names += ["present", "source"] if isinstance(one, Member) else []
        found += [(f"{at}/{name}", at, "") for name in names]
        found += [(path, at, part) for path, part in _points(at, one.envelopes if isinstance(one, Member) else ())]
        found += [(path, at, part) for path, part in _chain(at, one.chain)]
    return found + [(path, "sum", part) for path, part in _chain("sum", mix.chain)]


def _points(at: str, envelopes: Sequence[Envelope]) -> list[tuple[str, str]]:
    return [
        (f"{at}/envelopes/{one.control}/{place}/{edge}", "Curves")
        for one in envelopes
        for place in range(min(len(one.points), MOST_FREE_POINTS))
        for edge in ("value", "time")
    ]


MOST_FREE_POINTS = 32
"""Points of one curve that are offered; a recipe may name any."""


def _chain(at: str, chain: Sequence[Step]) -> list[tuple[str, str]]:
    found = [(f"{at}/chain/order", "Steps")] if len(chain) > 1 else []
    for id, step in zip(ids(chain), chain, strict=True):
        if step.known:
            label, stem = kind_of(step.kind).label, f"{at}/chain/{escaped(id)}"
            found += [(f"{stem}/{name}", label) for name, control in _params(step).items() if control.control in ("number", "moment", "choice", "switch")]
            found += [(f"{stem}/on", label), *((path, label) for path, _ in _points(stem, step.envelopes) if step.envelopes)]
    return found
