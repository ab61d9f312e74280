"""Envelopes: how a number moves over time, as points with straight lines, eased curves or steps between them.

Times are seconds of the sound the envelope was drawn on, so that trimming or slipping it moves nothing on the sound.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema, model_validator

from oskren.core.types import Floats

Curve = Literal["lines", "eased", "steps"]
Point = Annotated[
    tuple[Annotated[float, Field(ge=-600, le=86_400, allow_inf_nan=False)], Annotated[float, Field(allow_inf_nan=False)]],
    WithJsonSchema({"type": "array", "items": {"type": "number"}, "minItems": 2, "maxItems": 2}),
]

MOST_POINTS = 4000
EASED_PARTS = 24
"""Straight pieces an eased curve is made of where straight ones are needed."""


class Envelope(BaseModel):
    """Points (time in s, value) in order of time; before the first and after the last the value stays.

    ``control`` names what moves: of a layer gain_db, pan or pitch_st (added to its own value), of a step one of its parameters
    (instead of its own value). An envelope without points, or one that is not ``on``, moves nothing.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    control: str = Field(min_length=1, max_length=40)
    points: tuple[Point, ...] = Field((), max_length=MOST_POINTS)
    curve: Curve = "lines"
    on: bool = True

    @model_validator(mode="after")
    def _in_order(self) -> Envelope:
        times = [at for at, _ in self.points]
        if any(later <= earlier for earlier, later in itertools.pairwise(times)):
            raise ValueError("the points of an envelope must follow each other in time")
        return self

    @property
    def moves(self) -> bool:
        """Whether it changes anything."""
        return self.on and bool(self.points)

    def at(self, seconds: Floats) -> Floats:
        """Values at times (s), any shape.

        Eased means (1 - cos πx)/2 of the way between two points; steps hold a value up to the next point.
        """
        times, values = (np.array(column) for column in zip(*self.points, strict=True))
        if self.curve == "lines":
            return np.asarray(np.interp(seconds, times, values))
        after = np.searchsorted(times, seconds, side="right")
        before = np.clip(after - 1, 0, len(times) - 1)
        if self.curve == "steps":
            return np.asarray(values[before])
        after = np.clip(after, 0, len(times) - 1)
        span = np.where(after > before, times[after] - times[before], 1.0)
        way = (1 - np.cos(np.pi * np.clip((np.asarray(seconds) - times[before]) / span, 0, 1))) / 2
        return np.asarray(values[before] + (values[after] - values[before]) * way)

    def straight(self) -> tuple[Floats, Floats]:
        """Times and values of straight pieces that follow the curve: exact for lines; steps rise within a microsecond."""
        times, values = (np.array(column) for column in zip(*self.points, strict=True))
        if self.curve == "lines" or len(times) < 2:
            return times, values
        if self.curve == "steps":
            edge = np.minimum(1e-6, np.diff(times) / 2)
            return (
                np.concatenate([[times[0]], np.stack([times[1:] - edge, times[1:]], axis=1).ravel()]),
                np.concatenate([[values[0]], np.stack([values[:-1], values[1:]], axis=1).ravel()]),
            )
        inner = np.concatenate([np.linspace(a, b, EASED_PARTS, endpoint=False) for a, b in itertools.pairwise(times)] + [times[-1:]])
        return inner, self.at(inner)


def smoothed(points: Sequence[Point], width_s: float, tolerance: float) -> tuple[Point, ...]:
    """Fewer and rounder points: a moving mean over ``width_s``, then those alone that lie further than ``tolerance`` from the line of their neighbours.

    The thinning is Ramer's and Douglas and Peucker's (1972, 1973), measured along the value. First and last moment stay.
    """
    if len(points) < 3:
        return tuple(points)
    times, values = (np.array(column) for column in zip(*points, strict=True))
    fine = np.linspace(times[0], times[-1], min(2000, max(16, math.ceil((times[-1] - times[0]) / max(width_s, 1e-4) * 8))))
    step = fine[1] - fine[0]
    half = max(0, round(width_s / step / 2))
    raw = np.interp(fine, times, values)
    padded = np.pad(raw, half, mode="edge")
    mean = np.convolve(padded, np.ones(2 * half + 1) / (2 * half + 1), "valid")
    kept = {0, len(fine) - 1}
    todo = [(0, len(fine) - 1)]
    while todo:
        first, last = todo.pop()
        if last - first < 2:
            continue
        line = np.interp(fine[first : last + 1], fine[[first, last]], mean[[first, last]])
        off = np.abs(mean[first : last + 1] - line)
        worst = int(np.argmax(off))
        if off[worst] > tolerance:
            kept.add(first + worst)
            todo += [(first, first + worst), (first + worst, last)]
    return tuple((round(float(fine[i]), 6), round(float(mean[i]), 4)) for i in sorted(kept))
