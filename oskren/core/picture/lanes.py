"""Lanes: placements of a group lie side by side where they overlap, so that nobody has to arrange them."""

from __future__ import annotations

from collections.abc import Sequence


def lanes(spans: Sequence[tuple[float, float]]) -> list[int]:
    """Lane (from 0) of each span (start and end, s): the first one that is free, so that no two on a lane overlap.

    Examples
    --------
    >>> lanes([(0, 2), (1, 3), (2, 4), (2.5, 5)])
    [0, 1, 0, 2]
    """
    found = [0] * len(spans)
    ends: list[float] = []
    for one in sorted(range(len(spans)), key=lambda at: (spans[at][0], at)):
        start, end = spans[one]
        lane = next((at for at, until in enumerate(ends) if until <= start + 1e-9), len(ends))
        if lane == len(ends):
            ends.append(end)
        ends[lane] = end
        found[one] = lane
    return found
