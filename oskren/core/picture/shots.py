"""Shot changes: frames at which the picture is another one than a frame before."""

from __future__ import annotations

import numpy as np

from oskren.core.types import AnyArray

LEVELS = 6
"""Steps a colour is counted in."""

LEAST = 0.22
"""Share of the picture whose colours differ at a change."""

TIMES = 3.0
"""A change differs so many times more than frames around it do from each other."""

AROUND = 12
"""Frames before and after it that are looked at."""

APART = 4
"""Frames between two changes; a flash is none."""


CHUNK = 4096
"""Frames that are compared at a time."""


def differences(small: AnyArray) -> AnyArray:
    """How far each frame is from the one before: half of it where colours lie, half which colours there are (0 to 1).

    Parameters
    ----------
    small : ndarray of uint8 [shape=(frames, height, width, 3)]
        Small copies of the frames.

    Returns
    -------
    ndarray [shape=(frames,)]
        Distance of histograms (half the sum of absolute differences) and mean absolute difference of pixels, by their geometric mean.
    """
    found = [np.zeros(min(1, len(small)))]
    for at in range(0, len(small) - 1, CHUNK):
        part = small[at : at + CHUNK + 1]
        cells = (part.astype(np.int32) * LEVELS // 256) @ np.array([LEVELS * LEVELS, LEVELS, 1])
        histograms = np.array([np.bincount(one.ravel(), minlength=LEVELS**3) for one in cells]) / cells[0].size
        colours = np.abs(np.diff(histograms, axis=0)).sum(axis=1) / 2
        pixels = np.abs(np.diff(part.astype(np.float32), axis=0)).mean(axis=(1, 2, 3)) / 255
        found.append(np.sqrt(colours * np.minimum(1.0, 4 * pixels)))
    return np.concatenate(found)


def shot_changes(small: AnyArray) -> list[int]:
    """The first frame of every shot but the first.

    A frame begins a shot when its picture differs from the one before by much, and by more than frames around it differ from each other: so
    neither motion nor a slow change is one. What looks the same again after a few frames (a flash) is none.

    Parameters
    ----------
    small : ndarray of uint8 [shape=(frames, height, width, 3)]

    Returns
    -------
    list of int

    Examples
    --------
    >>> film = np.zeros((30, 4, 4, 3), np.uint8)
    >>> film[12:] = 200
    >>> shot_changes(film)
    [12]
    """
    far = differences(small)
    found: list[int] = []
    for at in range(1, len(far)):
        low, high = max(1, at - AROUND), min(len(far), at + AROUND + 1)
        around = np.delete(far[low:high], at - low)
        usual = float(np.quantile(around, 0.75)) if len(around) else 0.0
        if far[at] < LEAST or far[at] < TIMES * usual or far[at] < far[low:high].max() * 0.6:
            continue
        if found and at - found[-1] < APART:
            # there and back within a few frames: a flash, unless what follows is another picture
            if _distance(small[found[-1] - 1], small[at]) < LEAST:
                found.pop()
            continue
        found.append(at)
    return found


def _distance(one: AnyArray, other: AnyArray) -> float:
    return float(differences(np.stack([one, other]))[1])
