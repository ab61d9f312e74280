"""Mending single places of a sound: they are found beforehand, and can each be left as they are."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from oskren.core.measure.levels import db
from oskren.core.steps.base import Context, Finding, Read, StepKind, Summary
from oskren.core.types import AnyArray, Floats


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
        sure = summary["sure"].tolist() if "sure" in summary else [None] * len(summary["parts"])
        rows = zip(summary["parts"].tolist(), summary["heights"].tolist(), sure, strict=True)
        return [Finding(first / at.rate, last / at.rate, lane, height, sure) for (lane, first, last), height, sure in rows]


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
