"""The level of a sound that was stretched or warped, put back to that of its source."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from oskren.core.types import AnyArray, Floats, Samples

LEVEL_S = 0.005
MOST_DB = 6.0
"""How often the level is looked at, and by how much it is put right at most."""


def _powers(samples: AnyArray, centres: Floats, size: int, cell: int) -> Floats:
    """Mean power over all channels in windows of so many frames around places, as far as the sound reaches; summed in cells, so that hours need no room."""
    edges = np.append(np.arange(0, len(samples), cell), len(samples))
    sums = [np.einsum("ij,ij->", part, part, dtype=np.float64) for part in np.split(samples, edges[1:-1])]
    total = np.concatenate([[0.0], np.cumsum(sums)])
    first, last = (np.clip(centres + by, 0, len(samples)) for by in (-size / 2, size / 2))
    return np.asarray((np.interp(last, edges, total) - np.interp(first, edges, total)) / np.maximum(last - first, 1.0))


def level_back(source: Samples, made: AnyArray, places: Callable[[Floats], Floats], rate: int, size: int) -> AnyArray:
    """What a stretched sound is multiplied by to be as loud as its source is at the place it is read from.

    Windows that are laid over each other with other phases than they had take level from noise, not from tones. One gain for all channels.

    Parameters
    ----------
    source, made : array, shape (frames, channels)
        The sound before and after.
    places : callable
        Frames of the source for moments (s) of the result.
    size : int
        Frames of the windows it was made with: the level is compared over as much.

    Returns
    -------
    array, shape (frames of ``made``, 1)
        Factors, within 6 dB of 1.
    """
    if not len(source) or not len(made):
        return np.ones((len(made), 1))
    from scipy.ndimage import uniform_filter1d

    step = max(1, round(LEVEL_S * rate))
    at = np.arange(0, len(made) + step, step, dtype=np.float64)
    wanted, found = _powers(source, places(at / rate), size, step), _powers(made, at, size, step)
    heard = (wanted > 1e-12) & (found > 1e-12)
    apart = np.where(heard, 10 * np.log10(np.where(heard, wanted, 1.0) / np.where(heard, found, 1.0)), 0.0)
    smooth = uniform_filter1d(np.clip(apart, -MOST_DB, MOST_DB), max(1, round(size / 2 / step)), mode="nearest")
    return np.asarray(10 ** (np.interp(np.arange(len(made)), at, smooth) / 20))[:, None]
