"""Shapes of ranges: which values come how often, from a number between 0 and 1."""

from __future__ import annotations

import math
from statistics import NormalDist
from typing import Literal

Shape = Literal["even", "bell", "triangle", "steps", "list", "share"]
"""even: every value alike; bell: a normal distribution cut at two standard deviations; triangle: most in the middle, none at the ends; steps: whole
steps, each alike; list: values that are named, each alike; share: yes in a share of the draws."""

_NORMAL = NormalDist()
_EDGE = _NORMAL.cdf(-2)


def between(chance: float, shape: Shape) -> float:
    """Where in a range 0..1 a chance in (0, 1) falls.

    >>> between(0.5, "bell"), between(0.125, "triangle"), between(0.3, "even")
    (0.5, 0.25, 0.3)
    """
    if shape == "bell":
        return (_NORMAL.inv_cdf(_EDGE + chance * (1 - 2 * _EDGE)) + 2) / 4
    if shape == "triangle":
        return math.sqrt(chance / 2) if chance < 0.5 else 1 - math.sqrt((1 - chance) / 2)
    return chance


def stepped(chance: float, low: float, high: float, step: float) -> float:
    """The whole step a chance falls on: low, low + step ... as far as high.

    >>> [stepped(chance, -12, 12, 12) for chance in (0.1, 0.5, 0.9)]
    [-12.0, 0.0, 12.0]
    """
    return float(low + step * picked(chance, math.floor((high - low) / step + 1e-9) + 1))


def picked(chance: float, count: int) -> int:
    """Which of so many a chance falls on."""
    return min(count - 1, int(chance * count))
