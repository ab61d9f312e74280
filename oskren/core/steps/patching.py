"""Mending single places of a sound: they are found beforehand, filled in, and can each be left as they are."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from pydantic import Field

from oskren.core.measure.levels import db
from oskren.core.steps.base import Context, Finding, Read, StepKind, Summary
from oskren.core.types import AnyArray, Floats, Samples

CONTEXT = 768
"""Frames on either side that a repair looks at."""

CLOSE = 128
"""Frames within which another part is filled together with this one."""

Fill = Callable[[Floats, AnyArray], Floats]


class Patching:
    """Replaces stretches found beforehand, each by what the frames around it say; blocks of any size give the same.

    Parameters
    ----------
    parts : array, shape (n, 3)
        Channel, first frame, frame after the last, in frames of the input.
    fill : function
        (samples with context, missing) to filled samples.
    """

    def __init__(self, parts: AnyArray, longest: int, fill: Fill, at: Context, position: int):
        self._parts = parts[np.argsort(parts[:, 1], kind="stable")]
        self._fill = fill
        self._longest = longest
        self._ahead = CONTEXT + longest
        self._held: Samples = np.zeros((0, at.channels), np.float32)
        self._begins = position
        self._given = position

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        return self._give(self._begins + len(self._held) - self._ahead)

    def flush(self) -> Samples:
        return self._give(self._begins + len(self._held))

    def _give(self, limit: int) -> Samples:
        if limit <= self._given:
            return self._held[:0]
        out = self._held[self._given - self._begins : limit - self._begins].copy()
        for lane, first, last in self._between(self._given, limit):
            self._patch(out, limit, int(lane), int(first), int(last))
        self._given = limit
        spare = max(0, self._given - self._ahead - self._begins)
        self._held, self._begins = self._held[spare:], self._begins + spare
        return out

    def _between(self, start: int, end: int) -> AnyArray:
        """Parts that reach into a stretch."""
        first, last = np.searchsorted(self._parts[:, 1], [start - self._longest, end])
        near = self._parts[first:last]
        return np.asarray(near[near[:, 2] > start])

    def _patch(self, out: Samples, limit: int, lane: int, first: int, last: int) -> None:
        start, end = max(self._begins, first - CONTEXT), min(self._begins + len(self._held), last + CONTEXT)
        missing = np.zeros(end - start, bool)
        # others close by are missing too
        for other, a, b in self._between(first - CLOSE, last + CLOSE):
            if other == lane:
                missing[max(0, int(a) - start) : max(0, int(b) - start)] = True
        known = ~missing
        if known.sum() < 16:
            return
        filled = self._fill(self._held[start - self._begins : end - self._begins, lane].astype(np.float64), missing)
        a, b = max(first, self._given), min(last, limit)
        out[a - self._given : b - self._given, lane] = filled[a - start : b - start]


def left_alone(parts: AnyArray, skip: tuple[float, ...], at: Context) -> AnyArray:
    """Which parts (channel, first, after the last) hold a moment that is to be left as it is."""
    moments = np.array([at.carry(moment) * at.rate for moment in skip])
    near = 0.002 * at.rate
    if not len(moments) or not len(parts):
        return np.zeros(len(parts), bool)
    return np.asarray(((parts[:, 1:2] - near <= moments) & (moments <= parts[:, 2:3] + near)).any(axis=1))


def skipping() -> Any:
    """The parameter that names things to be left as they are, by moments (s) of the sound the step was set on."""
    return Field((), max_length=4096, title="Left as they are", json_schema_extra={"control": "skip", "unit": "s"})


class Listing(StepKind):
    """A step that mends single places it found; each can be left as it is."""

    def glance(self, params: Any, read: Read, at: Context) -> Summary:
        """Nothing: where single places lie only all of the sound says. They are heard as they are until then."""
        return {"parts": np.zeros((0, 3), np.int64), "heights": np.zeros(0), "lengths": np.zeros(0, np.int64), "changes": np.zeros(0)}

    def listed(self, summary: Summary, at: Context) -> list[Finding]:
        heights = summary["heights"].tolist()
        rows = zip(summary["parts"].tolist(), heights, strict=True)
        return [Finding(first / at.rate, last / at.rate, lane, height) for (lane, first, last), height in rows]


def as_parts(found: list[list[tuple[int, int]]]) -> AnyArray:
    """Runs found in each channel (first frame, frame after the last) as rows of channel, first, after the last."""
    rows = [(lane, first, last) for lane, runs in enumerate(found) for first, last in runs]
    return np.array(rows, np.int64).reshape(-1, 3)


def heights_of(whole: Floats, parts: AnyArray) -> Floats:
    """Peak of each part (dB) over the typical level of the 10 ms around it."""
    found = []
    for lane, first, last in parts.tolist():
        around = np.abs(whole[max(0, first - 480) : last + 480, lane])
        found.append(db(float(np.abs(whole[first:last, lane]).max(initial=0.0))) - db(float(np.median(around)) if len(around) else 0.0))
    return np.round(np.array(found), 1)


def counted(count: int, what: str) -> str:
    """How many of what were found, in words."""
    return f"{count or 'no'} {what}{'' if count == 1 else 's'}"
