"""Slice plans: found slices, corrections by hand, and how every slice is finished."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping
from typing import Literal

from pydantic import Field, ValidationInfo, model_validator

from oskren.core.controls import choice, number
from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.finishing import Levelled, level_steps
from oskren.core.nodes.model import Chained, Excerpt, Frozen, Node, Step
from oskren.core.slice.detect import FoundSlice, SliceSettings

SHORTEST_S = 0.001
TOUCHING_S = 1e-6
"""Slices that overlap by less than this lie end to end: what seconds written in decimals lose."""


AS_KEPT = "as kept"
"""The context a plan is read with that a library holds: it opens whatever an earlier version let pass."""


class Slice(Frozen):
    """A slice of the plan. ``touched`` slices stay when the settings find anew; dropped ones make no one-shot."""

    id: int
    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    attack_s: float = Field(ge=0)
    touched: bool = False
    dropped: bool = False


class Finish(Levelled):
    """How every slice is finished. The order is chain, channels, fades, level last, so that each file hits its level."""

    mono: bool = choice(False, {False: "as they are", True: "mono"}, "Channels")
    fade_in_ms: float = number(1.0, 0, 10_000, "ms", "Fade in", usual=(0, 500))
    fade_out_ms: float = number(12.0, 0, 60_000, "ms", "Fade out", usual=(0, 2000))
    fade_shape: Literal["linear", "equal power", "sine", "logarithmic", "exponential"] = choice("sine", None, "Curve of the fades")
    chain: tuple[Step, ...] = ()


class Plan(Frozen):
    """The found and corrected slices of one sound; none overlaps another."""

    settings: SliceSettings = SliceSettings()
    finish: Finish = Finish()
    slices: tuple[Slice, ...] = ()

    @model_validator(mode="after")
    def _apart(self, info: ValidationInfo) -> Plan:
        if info.context == AS_KEPT:
            return self
        ordered = sorted(self.slices, key=lambda piece: piece.start_s)
        if any(a.end_s > b.start_s + TOUCHING_S for a, b in itertools.pairwise(ordered)):
            raise ValueError("Two slices of this plan overlap; it was not kept.")
        if len({piece.id for piece in self.slices}) < len(self.slices):
            raise ValueError("Two slices of this plan have the same number; it was not kept.")
        return self

    @property
    def kept(self) -> list[Slice]:
        return [piece for piece in self.slices if not piece.dropped]


def _sorted(plan: Plan, slices: list[Slice]) -> Plan:
    return plan.model_copy(update={"slices": tuple(sorted(slices, key=lambda piece: piece.start_s))})


def _next_id(plan: Plan) -> int:
    return max((piece.id for piece in plan.slices), default=0) + 1


def refound(plan: Plan, settings: SliceSettings, found: list[FoundSlice]) -> Plan:
    """The plan with new settings: corrected slices stay, found ones that do not meet them take the place of the others."""
    kept = [piece for piece in plan.slices if piece.touched]
    id = _next_id(plan)
    fresh = []
    for one in found:
        if all(one.end_s <= piece.start_s or one.start_s >= piece.end_s for piece in kept):
            fresh.append(Slice(id=id, start_s=one.start_s, end_s=one.end_s, attack_s=one.attack_s))
            id += 1
    return _sorted(plan.model_copy(update={"settings": settings}), kept + fresh)


def carried(plan: Plan, moved: Callable[[float], float], seconds: float) -> tuple[Plan, int]:
    """The corrections of a plan put where the same moments lie in a newer state of its sound; and how many lie outside that.

    Parameters
    ----------
    plan : Plan
    moved : callable
        From a moment of the older state (s) to the same one of the newer.
    seconds : float
        Length of the newer state.

    Returns
    -------
    Plan
        Only with what was corrected by hand, in order.
    int

    Examples
    --------
    >>> plan = Plan(slices=tuple(Slice(id=k, start_s=at, end_s=at + 0.4, attack_s=at, touched=k != 2) for k, at in ((1, 0.0), (2, 1.0), (3, 2.0))))
    >>> fresh, lost = carried(plan, lambda moment: moment - 1.0, 9.0)
    >>> [(piece.id, piece.start_s) for piece in fresh.slices], lost
    ([(3, 1.0)], 1)
    """
    kept: list[Slice] = []
    touched = [piece for piece in plan.slices if piece.touched]
    for piece in touched:
        start, end = sorted(min(max(moved(moment), 0.0), seconds) for moment in (piece.start_s, piece.end_s))
        if end - start >= SHORTEST_S:
            attack = min(max(moved(piece.attack_s), start), end)
            kept.append(piece.model_copy(update={"start_s": start, "end_s": end, "attack_s": attack}))
    return _sorted(plan, kept), len(touched) - len(kept)


def _one(plan: Plan, id: int) -> tuple[int, Slice]:
    for i, piece in enumerate(plan.slices):
        if piece.id == id:
            return i, piece
    raise NotFound(f"There is no slice {id} in this plan; find again.")


def move(plan: Plan, id: int, start_s: float | None = None, end_s: float | None = None, seconds: float = float("inf")) -> Plan:
    """Move one or both edges of a slice; it stays inside the sound, off its neighbours, and at least 1 ms long where they leave so much room."""
    i, piece = _one(plan, id)
    low = plan.slices[i - 1].end_s if i else 0.0
    high = plan.slices[i + 1].start_s if i + 1 < len(plan.slices) else seconds
    # between close neighbours there may be less room than the shortest slice: then it lies against them
    start = piece.start_s if start_s is None else max(low, min(start_s, piece.end_s - SHORTEST_S))
    end = piece.end_s if end_s is None else min(high, max(end_s, start + SHORTEST_S))
    attack = min(max(piece.attack_s, start), end)
    slices = list(plan.slices)
    slices[i] = piece.model_copy(update={"start_s": start, "end_s": end, "attack_s": attack, "touched": True})
    return _sorted(plan, slices)


def snapped(plan: Plan, edges: Mapping[int, tuple[float, float]], seconds: float) -> Plan:
    """Slices with their edges moved, by id; those that are not there any more are passed over."""
    there = {piece.id for piece in plan.slices}
    for id, (start, end) in edges.items():
        if id in there:
            plan = move(plan, id, start, end, seconds)
    return plan


def moved_start(plan: Plan, id: int, start_s: float | None, by_s: float | None) -> float | None:
    """Where the start of a slice is to go: to a moment, or by so much from where it is."""
    return start_s if by_s is None else _one(plan, id)[1].start_s + by_s


def split(plan: Plan, id: int, at_s: float) -> Plan:
    """Split a slice in two at a moment inside it.

    Parameters
    ----------
    plan : Plan
    id : int
        The slice.
    at_s : float
        The moment, in seconds of the sound.

    Returns
    -------
    Plan
        The first half keeps the id of the slice.

    Raises
    ------
    OskrenError
        When a half would be shorter than 1 ms, or there is no such slice.

    Examples
    --------
    >>> plan = Plan(settings=SliceSettings(), slices=(Slice(id=1, start_s=0.0, end_s=1.0, attack_s=0.0),))
    >>> [(piece.id, piece.start_s, piece.end_s) for piece in split(plan, 1, 0.25).slices]
    [(1, 0.0, 0.25), (2, 0.25, 1.0)]
    """
    i, piece = _one(plan, id)
    if not piece.start_s + SHORTEST_S <= at_s <= piece.end_s - SHORTEST_S:
        raise OskrenError(f"Slice {i + 1} runs from {piece.start_s:.3f} s to {piece.end_s:.3f} s; put the playhead inside it to split it.")
    first = piece.model_copy(update={"end_s": at_s, "attack_s": min(piece.attack_s, at_s), "touched": True})
    second = Slice(id=_next_id(plan), start_s=at_s, end_s=piece.end_s, attack_s=max(piece.attack_s, at_s), touched=True)
    return _sorted(plan, [*plan.slices[:i], first, second, *plan.slices[i + 1 :]])


def merge(plan: Plan, id: int) -> Plan:
    """Merge a slice with the next.

    Parameters
    ----------
    plan : Plan
    id : int
        The first of the two; it is what remains, as long as both.

    Returns
    -------
    Plan

    Raises
    ------
    OskrenError
        When it is the last slice.

    Examples
    --------
    >>> plan = Plan(settings=SliceSettings(), slices=tuple(Slice(id=k, start_s=at, end_s=at + 0.4, attack_s=at) for k, at in ((1, 0.0), (2, 0.6))))
    >>> [(piece.id, piece.start_s, piece.end_s) for piece in merge(plan, 1).slices]
    [(1, 0.0, 1.0)]
    """
    i, piece = _one(plan, id)
    if i + 1 >= len(plan.slices):
        raise OskrenError("The last slice has no next one to merge with.")
    joined = piece.model_copy(update={"end_s": plan.slices[i + 1].end_s, "touched": True, "dropped": False})
    return _sorted(plan, [*plan.slices[:i], joined, *plan.slices[i + 2 :]])


def drop(plan: Plan, id: int, dropped: bool = True) -> Plan:
    """Drop a slice, or take it back."""
    i, piece = _one(plan, id)
    slices = list(plan.slices)
    slices[i] = piece.model_copy(update={"dropped": dropped, "touched": True})
    return _sorted(plan, slices)


def add(plan: Plan, start_s: float, end_s: float) -> Plan:
    """A slice by hand, where no other lies."""
    if end_s - start_s < SHORTEST_S:
        raise OskrenError("Mark a part of at least 1 ms for a new slice.")
    if any(start_s < piece.end_s and end_s > piece.start_s for piece in plan.slices):
        raise OskrenError("The marked part meets another slice; move that one's edge or mark elsewhere.")
    return _sorted(plan, [*plan.slices, Slice(id=_next_id(plan), start_s=start_s, end_s=end_s, attack_s=start_s, touched=True)])


def finish_chain(finish: Finish) -> tuple[Step, ...]:
    """The finish as steps: chain, channels, fades, level last."""
    steps = list(finish.chain)
    if finish.mono:
        steps.append(Step(kind="mono"))
    if finish.fade_in_ms or finish.fade_out_ms:
        steps.append(
            Step(
                kind="fade",
                params={"in_s": finish.fade_in_ms / 1000, "out_s": finish.fade_out_ms / 1000, "in_shape": finish.fade_shape, "out_shape": finish.fade_shape},
            )
        )
    return (*steps, *level_steps(finish))


def one_shot(source: Node, piece: Slice | FoundSlice, finish: Finish) -> Chained:
    """A finished slice as a node.

    Parameters
    ----------
    source : Node
        What was sliced.
    piece : Slice or FoundSlice
        From where to where, in seconds of it.
    finish : Finish
        Chain, channels, fades and level that every slice of the plan gets.

    Returns
    -------
    Chained
        Not rendered yet.
    """
    return Chained(node=Excerpt(node=source, start_s=piece.start_s, end_s=piece.end_s), chain=finish_chain(finish))
