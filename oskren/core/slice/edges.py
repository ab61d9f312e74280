"""Where a slice can begin or end without a click."""

from __future__ import annotations

import numpy as np

from oskren.core.types import Samples

REACH_S = 0.005
"""So far from an edge a zero crossing is looked for; farther away it would be another moment to the ear (common practice, no source)."""


def nearest_crossing(samples: Samples, at: int) -> int | None:
    """The frame nearest to ``at`` where the sum of the channels goes through zero.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    at : int
        A frame of it.

    Returns
    -------
    int or None
        Of the two frames around the crossing the one that is nearer to zero; None where nothing goes through zero.

    Examples
    --------
    >>> wave = np.sin(2 * np.pi * np.arange(480) / 100).astype(np.float32)[:, None]
    >>> nearest_crossing(wave, 120), nearest_crossing(wave + 2, 120)
    (100, None)
    """
    total = samples.sum(axis=1, dtype=np.float64)
    crossed = np.flatnonzero(np.signbit(total[1:]) != np.signbit(total[:-1]))
    if not len(crossed):
        return None
    nearer = crossed + (np.abs(total[crossed + 1]) < np.abs(total[crossed]))
    return int(nearer[np.argmin(np.abs(nearer - at))])
