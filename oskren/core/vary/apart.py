"""How far apart draws sound: distances, the nearest pairs, the most different ones, a map of all that was measured.

Distances between draws are in a scale of their own, which does not depend on what else was drawn: 1 is about what two semitones of
varispeed make of a sound, clearly another one; 0.25, about half a semitone, is where two begin to pass for the same (own scale, no source).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np

from oskren.core.measure import likeness, timbre
from oskren.core.types import Floats

TIMBRE, DESCRIPTORS = 0.4, 4.0
"""The angle of timbre, and the sum of descriptors in steps that are heard, that count 1."""

NUMBERS = timbre.NUMBERS + len(likeness.NAMES)
"""So many numbers place a draw."""

STEPS = np.where(np.array(likeness.NAMES) == "attack", 1.0, likeness.HEARD)
"""Steps of the descriptors that are heard; the attack of what lasts lies anywhere in it, so there it takes an octave."""

SAME = 0.25
"""Nearer than this two draws pass for the same in quick succession."""


class Pair(NamedTuple):
    """Two of some draws, by place, and how far apart they sound."""

    one: int
    other: int
    apart: float


def has_timbre(measures: Mapping[str, Any]) -> bool:
    """Whether timbre was measured; it was not before it was known."""
    return len(measures.get("timbre") or ()) == timbre.NUMBERS


def point(measures: Mapping[str, Any], seconds: float, *, by_timbre: bool = True) -> Floats | None:
    """Where a draw lies, shape (37,): plain distances between such points are how far apart draws sound. None for silence.

    Draws some of which have no timbre are compared without it.
    """
    plain = likeness.describe(measures, seconds)
    if plain is None or (by_timbre and not has_timbre(measures)):
        return None
    placed = measures["timbre"] if by_timbre else np.zeros(timbre.NUMBERS)
    return np.concatenate([np.array(placed) / TIMBRE, plain * likeness.WEIGHTS / STEPS / DESCRIPTORS])


def between(points: Floats) -> Floats:
    """Distances of points of shape (n, 37) from each other, shape (n, n)."""
    from scipy.spatial.distance import cdist

    return np.asarray(cdist(points, points))


def nearest(points: Floats, most: int = 5, under: float = np.inf) -> list[Pair]:
    """The pairs that sound most alike, the nearest first: at most so many, none as far apart as ``under``."""
    apart = between(points)
    rows, columns = np.triu_indices(len(points), 1)
    order = np.argsort(apart[rows, columns], kind="stable")[:most]
    found = [Pair(int(rows[place]), int(columns[place]), float(apart[rows[place], columns[place]])) for place in order]
    return [pair for pair in found if pair.apart < under]


def most_different(points: Floats, count: int, first: Sequence[int] = ()) -> list[int]:
    """Places of so many points that lie as far from each other as can be, in the order they are taken.

    The first is the one nearest the centre, unless some are taken already (``first``); each next is the one whose nearest among those
    taken is farthest. Source: Gonzalez, "Clustering to minimize the maximum intercluster distance", Theor. Comput. Sci. 38, 1985.

    >>> most_different(np.array([[0.0], [1.0], [5.0], [10.0]]), 3)
    [2, 0, 3]
    """
    if not len(points):
        return []
    taken = list(first) or [int(np.argmin(np.linalg.norm(points - points.mean(axis=0), axis=1)))]
    least = np.min([np.linalg.norm(points - points[one], axis=1) for one in taken], axis=0)
    while len(taken) < min(count, len(points)):
        least[taken] = -1.0
        taken.append(int(np.argmax(least)))
        least = np.minimum(least, np.linalg.norm(points - points[taken[-1]], axis=1))
    return taken[:count]


def projected(points: Floats) -> Floats:
    """A map of points: their two principal directions, shape (n, 2), each turned so that its largest part is positive."""
    centred = points - points.mean(axis=0)
    _, _, axes = np.linalg.svd(centred, full_matrices=False)
    axes = np.vstack([axes, np.zeros((2, points.shape[1]))])[:2]
    turned = np.sign(axes[np.arange(2), np.argmax(np.abs(axes), axis=1)])
    return np.asarray(centred @ (axes * np.where(turned == 0, 1, turned)[:, None]).T)
