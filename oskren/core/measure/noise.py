"""Noise floor: how loud a recording is where nothing happens."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.measure.runs import runs_of
from oskren.core.types import AnyArray, Floats, Samples

FRAME_S = 0.050
VISIBLE_DB = 11.0
"""Loud frames must stand this far above the floor, or none is visible."""

OFTEN, RARE_DB = 0.2, 16.0
"""Where less than such a share of the frames is quiet, or what is loud is rare, the loudest must stand so far above: music has lulls and accents."""

STEADY = 4
"""Frames in a row (200 ms) that lie near the lowest level where a floor is visible."""

NEAR_DB, FALLS_DB, RISES_DB = 3.0, 2.0, 0.25
SETTLES = 4
"""How often the level is looked for among what lies near it."""

SILENT_POWER = 1e-12


@dataclass(frozen=True)
class NoiseFloor:
    """Level of the floor (dBFS RMS), None for silent and dense material; ``reason`` says why."""

    dbfs: float | None
    confidence: float
    reason: str


def frame_powers(samples: Samples, rate: int) -> Floats:
    """Mean power over channels of frames of 50 ms, shape (n,)."""
    size = max(1, round(rate * FRAME_S))
    whole = len(samples) // size
    if whole == 0:
        return np.zeros(0)
    cut = samples[: whole * size].reshape(whole, size * samples.shape[1])
    return np.asarray(np.einsum("ij,ij->i", cut, cut) / cut.shape[1], dtype=np.float64)


def noise_floor(powers: Floats) -> NoiseFloor:
    """Floor from the powers of 50 ms frames (:func:`frame_powers`).

    Digital silence is left out. The quietest 200 ms locate the floor, what lies within 3 dB of it gives its level: one quiet
    stretch is enough, whether much or little stands over it. What is nowhere steady, only dies away, or does not rise over
    its quietest part has no visible floor.

    Parameters
    ----------
    powers : array, shape (n,)
        Mean square of every frame.

    Returns
    -------
    NoiseFloor
        Its level in dBFS is None where no floor is visible.
    """
    heard = powers > SILENT_POWER
    if np.count_nonzero(heard) < 6:
        return NoiseFloor(None, 0.0, "too short or silent")
    level = 10 * np.log10(np.maximum(powers, SILENT_POWER))
    first, last = _without_fades(level)
    heard[:first] = heard[last:] = False
    found = _lowest(powers, level, heard)
    if found is None:
        return NoiseFloor(None, 0.0, "it dies away: nothing steady shows a floor" if last - first < len(level) else "dense: no quiet moment shows the floor")
    low, near = found
    first, last = _longest_run(near)
    often = np.count_nonzero(near) > OFTEN * np.count_nonzero(heard)
    visible = level.max() - low > RARE_DB or (often and np.percentile(level[heard], 95) - low > VISIBLE_DB)
    if not visible or last - first < STEADY:
        return NoiseFloor(None, 0.0, "dense: no quiet moment shows the floor")
    steady = level[first:last]
    slope, _ = np.polyfit(np.arange(len(steady)), steady, 1)
    if -slope * len(steady) > FALLS_DB and np.corrcoef(np.arange(len(steady)), steady)[0, 1] < -0.9:
        return NoiseFloor(None, 0.0, "it dies away: nothing steady shows a floor")
    confidence = np.clip((last - first) * FRAME_S, 0, 1) * np.clip(1.5 - np.std(level[near]) / 2, 0.2, 1)
    return NoiseFloor(low, float(confidence), "")


def _without_fades(level: Floats) -> tuple[int, int]:
    """First frame after what fades in, and the frame where what dies away at the end begins."""
    if len(level) < 2 * STEADY:
        return 0, len(level)
    smooth = np.convolve(level, np.ones(STEADY) / STEADY, "valid")
    grown = smooth[STEADY:] - smooth[:-STEADY]
    rising, falling = grown > RISES_DB, grown[::-1] < -RISES_DB
    first = int(np.argmin(rising)) if not rising.all() else len(rising)
    after = int(np.argmin(falling)) if not falling.all() else len(falling)
    # what rises or falls within its first look only is an event at the edge
    return first + STEADY if first > STEADY else 0, len(level) - (after + STEADY if after > STEADY else 0)


def _lowest(powers: Floats, level: Floats, heard: AnyArray) -> tuple[float, AnyArray] | None:
    """The lowest level (dB) that is held for a while, and which frames lie near it."""
    windows = np.lib.stride_tricks.sliding_window_view
    whole = windows(heard, STEADY).all(axis=1) if len(powers) >= STEADY else np.zeros(0, bool)
    if not whole.any():
        return None
    low = float(10 * np.log10(windows(powers, STEADY)[whole].mean(axis=1).min()))
    near = heard
    for _ in range(SETTLES):
        near = heard & (np.abs(level - low) < NEAR_DB)
        if not near.any():
            return None
        low = float(10 * np.log10(np.median(powers[near])))
    return low, near


def _longest_run(wanted: AnyArray) -> tuple[int, int]:
    """First place of the longest run where something is so, and the place after its last."""
    firsts, lasts = runs_of(wanted)
    if not len(firsts):
        return 0, 0
    longest = int(np.argmax(lasts - firsts))
    return int(firsts[longest]), int(lasts[longest])


def quietest_part(powers: Floats, seconds: float = 0.5) -> tuple[float, float] | None:
    """Start and end (s) of the quietest stretch that is not digital silence, or None."""
    size = max(1, round(seconds / FRAME_S))
    if len(powers) < size:
        return (0.0, len(powers) * FRAME_S) if len(powers) >= 2 and powers.max() > SILENT_POWER else None
    total = np.concatenate([[0.0], np.cumsum(powers)])
    mean = (total[size:] - total[:-size]) / size
    silent = np.concatenate([[0], np.cumsum(powers <= SILENT_POWER)])
    mean[(silent[size:] - silent[:-size]) > 0] = np.inf
    best = int(np.argmin(mean))
    if not np.isfinite(mean[best]):
        return None
    return best * FRAME_S, (best + size) * FRAME_S
