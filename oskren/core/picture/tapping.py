"""Tapping in: keys pressed while the film plays become placements on frames."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from oskren.core.controls import choice, number
from oskren.core.nodes.model import Frozen
from oskren.core.picture.scene import nearest_frame
from oskren.core.timecode import FrameRate

Order = Literal["turn", "random"]


class Tap(Frozen):
    """A key pressed at a moment of the film (s), for a list (from 0)."""

    at_s: float = Field(ge=-10, le=86_400)
    list: int = Field(0, ge=0, le=1)


class Tapping(Frozen):
    """How taps become placements."""

    order: Order = choice("turn", {"turn": "in turn", "random": "at random"}, "Candidates", hint="At random never gives the same one twice in a row")
    latency_ms: float = number(0.0, 0, 500, "ms", "Late by", digits=0, step=1, hint="How late a tap comes; it is taken off")
    seed: int = Field(1, ge=0, le=2**53)


class Landed(Frozen):
    """Where a tap lands: its frame, and which candidate (from 0) of its list."""

    frame: int
    list: int
    candidate: int


def landed(taps: Sequence[Tap], counts: Sequence[int], tapping: Tapping, rate: FrameRate, frames: int) -> list[Landed]:
    """Taps on frames, each with a candidate.

    Parameters
    ----------
    taps : sequence of Tap
    counts : sequence of int
        How many candidates each list has.
    tapping : Tapping
        The order of candidates, and by how much every tap is late.
    rate : FrameRate
    frames : int
        Length of the film; taps before and behind it lie on its first and last frame.

    Returns
    -------
    list of Landed
        In order of time. Two taps of a list on one frame are one.

    Examples
    --------
    >>> from oskren.core.timecode import FRAME_RATES
    >>> taps = [Tap(at_s=1.06), Tap(at_s=2.05), Tap(at_s=3.06)]
    >>> [(one.frame, one.candidate) for one in landed(taps, [2], Tapping(latency_ms=60), FRAME_RATES["25"], 250)]
    [(25, 0), (50, 1), (75, 0)]
    """
    random = np.random.Generator(np.random.PCG64(tapping.seed))
    last: dict[int, int] = {}
    turn: dict[int, int] = {}
    found: list[Landed] = []
    for tap in sorted(taps, key=lambda one: one.at_s):
        count = counts[tap.list] if tap.list < len(counts) else 0
        frame = min(frames - 1, max(0, nearest_frame(tap.at_s - tapping.latency_ms / 1000, rate)))
        if not count or any(one.frame == frame and one.list == tap.list for one in found):
            continue
        if tapping.order == "turn":
            candidate = turn[tap.list] = (turn.get(tap.list, -1) + 1) % count
        else:
            others = [one for one in range(count) if one != last.get(tap.list)] or [0]
            candidate = int(random.choice(others))
        last[tap.list] = candidate
        found.append(Landed(frame=frame, list=tap.list, candidate=candidate))
    return found


def latency_of(taps: Sequence[float], clicks: Sequence[float]) -> float:
    """How late taps (s) come behind regular clicks (s) they were tapped along with: the median of each tap against the click nearest to it.

    Examples
    --------
    >>> round(latency_of([0.58, 1.07, 1.57, 2.3], [0.5, 1.0, 1.5, 2.0]), 3)
    0.075
    """
    if not taps or not clicks:
        return 0.0
    near = np.array(clicks)
    late = [tap - near[np.argmin(np.abs(near - tap))] for tap in taps]
    return float(np.median(late))
