"""Slice plans: found slices and corrections by hand."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence

from pydantic import Field, ValidationInfo, model_validator

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Frozen
from oskren.core.slice.detect import FoundSlice, SliceSettings
from oskren.core.slice.finish import NUMBERED, SHORTEST_S, Finish, Slice, SliceLoop, shifted
from oskren.core.slice.kits import Kit, KitSettings, without_slices

TOUCHING_S = 1e-6
"""Slices that overlap by less than this lie end to end: what seconds written in decimals lose."""


AS_KEPT = "as kept"
"""The context a plan is read with that a library holds: it opens whatever an earlier version let pass."""


class Plan(Frozen):
    """The found and corrected slices of one sound; none overlaps another.

    ``stems`` are sounds that were recorded together with it and are sliced at the same moments; ``names`` is what one-shots are called by.
    """

    settings: SliceSettings = SliceSettings()
    finish: Finish = Finish()
    slices: tuple[Slice, ...] = ()
    kitting: KitSettings = KitSettings()
    kits: tuple[Kit, ...] = Field((), max_length=2000)
    stems: tuple[int, ...] = Field((), max_length=64)
    names: str = Field(NUMBERED, min_length=1, max_length=200)

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

    def of(self, ids: Sequence[int]) -> list[Slice]:
        """The slices with some ids, in that order; those that are not there any more are passed over."""
        there = {piece.id: piece for piece in self.slices}
        return [there[id] for id in ids if id in there]

    @property
    def kept(self) -> list[Slice]:
        return [piece for piece in self.slices if not piece.dropped]


def _sorted(plan: Plan, slices: list[Slice]) -> Plan:
    """The plan with other slices, in order of time; those that are gone are in no kit any more."""
    gone = {id for kit in plan.kits for id in kit.slices} - {piece.id for piece in slices}
    kits = without_slices(plan.kits, gone) if gone else plan.kits
    return plan.model_copy(update={"slices": tuple(sorted(slices, key=lambda piece: piece.start_s)), "kits": kits})


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
        there = shifted(piece, moved, seconds)
        if there is not None:
            kept.append(there)
    return _sorted(plan, kept), len(touched) - len(kept)


def _one(plan: Plan, id: int) -> tuple[int, Slice]:
    for i, piece in enumerate(plan.slices):
        if piece.id == id:
            return i, piece
    raise NotFound(f"There is no slice {id} in this plan; find again.")


def _open(plan: Plan, id: int) -> tuple[int, Slice]:
    """A slice that is to be changed."""
    i, piece = _one(plan, id)
    if piece.locked:
        raise OskrenError(f"Slice {i + 1} is locked; unlock it to change it.")
    return i, piece


def _inside(loop: SliceLoop | None, start_s: float, end_s: float) -> SliceLoop | None:
    """A loop where it still lies in its slice."""
    return loop if loop is not None and start_s <= loop.start_s and loop.end_s <= end_s + TOUCHING_S else None


def move(plan: Plan, id: int, start_s: float | None = None, end_s: float | None = None, seconds: float = float("inf")) -> Plan:
    """Move one or both edges of a slice; it stays inside the sound, off its neighbours, and at least 1 ms long where they leave so much room."""
    i, piece = _open(plan, id)
    low = plan.slices[i - 1].end_s if i else 0.0
    high = plan.slices[i + 1].start_s if i + 1 < len(plan.slices) else seconds
    # between close neighbours there may be less room than the shortest slice: then it lies against them
    start = piece.start_s if start_s is None else max(low, min(start_s, piece.end_s - SHORTEST_S))
    end = piece.end_s if end_s is None else min(high, max(end_s, start + SHORTEST_S))
    attack = min(max(piece.attack_s, start), end)
    slices = list(plan.slices)
    slices[i] = piece.model_copy(update={"start_s": start, "end_s": end, "attack_s": attack, "touched": True, "loop": _inside(piece.loop, start, end)})
    return _sorted(plan, slices)


def snapped(plan: Plan, edges: Mapping[int, tuple[float, float]], seconds: float) -> Plan:
    """Slices with their edges moved, by id; those that are locked, or not there any more, are passed over."""
    there = {piece.id for piece in plan.slices if not piece.locked}
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
    i, piece = _open(plan, id)
    if not piece.start_s + SHORTEST_S <= at_s <= piece.end_s - SHORTEST_S:
        raise OskrenError(f"Slice {i + 1} runs from {piece.start_s:.3f} s to {piece.end_s:.3f} s; put the playhead inside it to split it.")
    first = piece.model_copy(update={"end_s": at_s, "attack_s": min(piece.attack_s, at_s), "touched": True, "loop": _inside(piece.loop, piece.start_s, at_s)})
    rest = _inside(piece.loop, at_s, piece.end_s)
    second = Slice(id=_next_id(plan), start_s=at_s, end_s=piece.end_s, attack_s=max(piece.attack_s, at_s), touched=True, loop=rest)
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
    i, piece = _open(plan, id)
    if i + 1 >= len(plan.slices):
        raise OskrenError("The last slice has no next one to merge with.")
    _open(plan, plan.slices[i + 1].id)
    joined = piece.model_copy(update={"end_s": plan.slices[i + 1].end_s, "touched": True, "dropped": False})
    return _sorted(plan, [*plan.slices[:i], joined, *plan.slices[i + 2 :]])


def drop(plan: Plan, id: int, dropped: bool = True) -> Plan:
    """Drop a slice, or take it back."""
    i, piece = _open(plan, id)
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


def looped(plan: Plan, id: int, loop: SliceLoop | None) -> Plan:
    """A slice with a loop inside it, or without one."""
    i, piece = _open(plan, id)
    if loop is not None and _inside(loop, piece.start_s, piece.end_s) is None:
        raise OskrenError(f"Slice {i + 1} runs from {piece.start_s:.3f} s to {piece.end_s:.3f} s; its loop must lie inside it.")
    if loop is not None and loop.end_s - loop.start_s < SHORTEST_S:
        raise OskrenError("A loop is at least 1 ms long.")
    slices = list(plan.slices)
    slices[i] = piece.model_copy(update={"loop": loop, "touched": True})
    return _sorted(plan, slices)


def locked(plan: Plan, ids: Sequence[int], lock: bool = True) -> Plan:
    """Slices that are not moved, split, merged or dropped until they are unlocked; they stay when slices are found anew."""
    wanted = set(ids)
    slices = [piece.model_copy(update={"locked": lock, "touched": True}) if piece.id in wanted else piece for piece in plan.slices]
    return _sorted(plan, slices)
