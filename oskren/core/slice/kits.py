"""Kits: slices dealt into groups of N, each with the whole range in it, or each of one kind."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from oskren.core.controls import choice, number
from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Frozen
from oskren.core.types import AnyArray, Floats

By = Literal["length", "loudness", "brightness", "likeness"]


class KitSettings(Frozen):
    """How slices are dealt into kits. Sizes differ by one at most."""

    size: int = number(16, 2, 64, "slices", "Each holds", digits=0, step=1)
    by: By = choice("likeness", None, "Dealt by")
    each: Literal["spread", "alike"] = choice(
        "spread",
        {"spread": "the whole range", "alike": "neighbours"},
        "In each kit",
        hint="The whole range: every kit holds some of each, as different as they are. Neighbours: what is alike comes together",
    )


MOST_IN_KIT = 64


class Kit(Frozen):
    """A kit: its name, and the ids of its slices in the order of the keys."""

    name: str = Field(min_length=1, max_length=80)
    slices: tuple[int, ...] = Field(max_length=MOST_IN_KIT)


def with_slices(kits: Sequence[Kit], place: int | None, ids: Sequence[int]) -> tuple[Kit, ...]:
    """Kits after slices were put at the end of one of them, or into a new one (``place`` None): a slice lies in one kit, and a kit without slices goes.

    Raises
    ------
    OskrenError
        When that kit would hold more than 64 slices, or is not there.

    Examples
    --------
    >>> kits = (Kit(name="Kit 1", slices=(1, 2)), Kit(name="Kit 2", slices=(3,)))
    >>> [(kit.name, kit.slices) for kit in with_slices(kits, 0, [3])]
    [('Kit 1', (1, 2, 3))]
    >>> [(kit.name, kit.slices) for kit in with_slices(kits, None, [2, 3])]
    [('Kit 1', (1,)), ('Kit 3', (2, 3))]
    """
    new = _free_name(kits) if place is None else _there(kits, place).name
    moved = set(ids)
    left = [kit.model_copy(update={"slices": tuple(id for id in kit.slices if id not in moved)}) for kit in kits]
    if place is None:
        left.append(Kit(name=new, slices=()))
        place = len(left) - 1
    held = (*left[place].slices, *dict.fromkeys(ids))
    if len(held) > MOST_IN_KIT:
        raise OskrenError(f"{new} would hold {len(held)} slices; a kit holds {MOST_IN_KIT} at most.")
    left[place] = left[place].model_copy(update={"slices": held})
    return tuple(kit for kit in left if kit.slices)


def without_slices(kits: Sequence[Kit], ids: Iterable[int]) -> tuple[Kit, ...]:
    """Kits after slices were taken out of them; one without slices goes."""
    gone = set(ids)
    left = (kit.model_copy(update={"slices": tuple(id for id in kit.slices if id not in gone)}) for kit in kits)
    return tuple(kit for kit in left if kit.slices)


def renamed(kits: Sequence[Kit], place: int, name: str) -> tuple[Kit, ...]:
    """Kits after one was given another name.

    Raises
    ------
    OskrenError
        When another kit has that name: one-shots are named and tagged by it.
    """
    _there(kits, place)
    if any(kit.name.casefold() == name.casefold() for at, kit in enumerate(kits) if at != place):
        raise OskrenError(f"There is a kit called {name} already; its one-shots could not be told apart.")
    return tuple(kit.model_copy(update={"name": name}) if at == place else kit for at, kit in enumerate(kits))


def _there(kits: Sequence[Kit], place: int) -> Kit:
    if not 0 <= place < len(kits):
        raise NotFound("That kit is not there any more.")
    return kits[place]


def _free_name(kits: Sequence[Kit]) -> str:
    taken = {kit.name.casefold() for kit in kits}
    return next(name for number in itertools.count(len(kits) + 1) if (name := f"Kit {number}").casefold() not in taken)


def sizes(count: int, most: int) -> list[int]:
    """How many go into each kit: as few kits as hold them all, sizes that differ by one at most.

    >>> sizes(33, 16), sizes(16, 16), sizes(3, 16), sizes(0, 16)
    ([11, 11, 11], [16], [3], [])
    """
    if not count:
        return []
    kits = -(-count // most)
    return [count // kits + (k < count % kits) for k in range(kits)]


def dealt(values: Floats, settings: KitSettings) -> list[list[int]]:
    """Places of slices, dealt into kits.

    Parameters
    ----------
    values : array, shape (n,) or (n, d)
        What they are dealt by: one measure of each, or where each lies among sounds.
    settings : KitSettings

    Returns
    -------
    list of lists of int
        Every place once; in each kit in rising order of the measure, or in the order given when dealt by likeness.

    Examples
    --------
    >>> lengths = np.array([1.0, 8.0, 2.0, 7.0])
    >>> dealt(lengths, KitSettings(size=2, by="length", each="alike"))
    [[0, 2], [3, 1]]
    >>> dealt(lengths, KitSettings(size=2, by="length", each="spread"))
    [[0, 1], [2, 3]]
    """
    many = sizes(len(values), settings.size)
    if len(many) < 2:
        order = np.argsort(values, kind="stable") if values.ndim == 1 else np.arange(len(values))
        return [order.tolist()] if many else []
    if values.ndim == 1:
        order = np.argsort(values, kind="stable")
        if settings.each == "alike":
            return [part.tolist() for part in np.split(order, np.cumsum(many)[:-1])]
        return _balanced(values, order, len(many))
    found = _neighbours(values, many) if settings.each == "alike" else _different(values, len(many))
    return [sorted(kit) for kit in found]


def _balanced(values: Floats, order: AnyArray, kits: int) -> list[list[int]]:
    """Dealt in rounds from the largest down, one to each kit; in a round the larger go where the sum is smaller so far.

    Source of the rule: R. L. Graham, "Bounds on multiprocessing timing anomalies", SIAM J. Appl. Math. 17, 1969 (longest first).
    """
    found: list[list[int]] = [[] for _ in range(kits)]
    sums = np.zeros(kits)
    falling = order[::-1].tolist()
    for at in range(0, len(falling), kits):
        seats = np.argsort(sums, kind="stable")
        for place, seat in zip(falling[at : at + kits], seats.tolist(), strict=False):
            found[seat].append(int(place))
            sums[seat] += values[place]
    return [kit[::-1] for kit in found]


def _distances(points: Floats, here: Floats) -> Floats:
    return np.asarray(np.sqrt(((points - here) ** 2).sum(axis=1)))


def _neighbours(points: Floats, many: list[int]) -> list[list[int]]:
    """Kit after kit: what lies farthest out of all that is left, with those nearest to it."""
    left, found = np.arange(len(points)), []
    for size in many:
        far = left[int(np.argmax(_distances(points[left], points[left].mean(axis=0))))]
        order = left[np.argsort(_distances(points[left], points[far]), kind="stable")]
        found.append(order[:size].tolist())
        left = np.sort(order[size:])
    return found


def _different(points: Floats, kits: int) -> list[list[int]]:
    """Sets of as many neighbours as there are kits, one of each set to every kit: to the one whose slices lie farthest from it."""
    from scipy.optimize import linear_sum_assignment
    from scipy.spatial.distance import cdist

    many = [kits] * (len(points) // kits) + ([len(points) % kits] if len(points) % kits else [])
    found: list[list[int]] = [[] for _ in range(kits)]
    for alike in _neighbours(points, many):
        # how far each lies from the nearest of each kit; the sum of all of them is made largest
        far = cdist(points[alike], points)
        apart = np.stack([far[:, kit].min(axis=1) if kit else np.zeros(len(alike)) for kit in found], axis=1)
        short = np.array([len(kit) for kit in found])
        rows, seats = linear_sum_assignment(apart - 1e7 * (short > short.min()), maximize=True)
        for row, seat in zip(rows, seats, strict=True):
            found[seat].append(alike[row])
    return found
