"""Noise floor: how loud a recording is where nothing happens."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

FRAME_S = 0.050
VISIBLE_DB = 8.0
"""The loudest frames must stand this far above the quietest, or no floor is visible."""

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

    Digital silence is left out. The quietest tenth locates the floor, the frames within 3 dB of it give its level.
    When loud frames do not stand clear of the quiet ones, the material is dense and has no visible floor.

    Parameters
    ----------
    powers : array, shape (n,)
        Mean square of every frame.

    Returns
    -------
    NoiseFloor
        Its level in dBFS is None where no floor is visible.
    """
    heard = powers[powers > SILENT_POWER]
    if len(heard) < 6:
        return NoiseFloor(None, 0.0, "too short or silent")
    level = 10 * np.log10(heard)
    if np.percentile(level, 95) - np.percentile(level, 10) < VISIBLE_DB:
        return NoiseFloor(None, 0.0, "dense: no quiet moment shows the floor")
    low = np.percentile(level, 10)
    near = heard[np.abs(level - low) < 3.0]
    share = len(near) / len(heard)
    if share < 0.08 or len(near) < 4:
        return NoiseFloor(None, 0.0, "no steady quiet part")
    spread = float(np.std(10 * np.log10(near)))
    confidence = float(np.clip(share / 0.2, 0, 1) * np.clip(1.5 - spread / 2, 0.2, 1))
    return NoiseFloor(float(10 * np.log10(np.median(near))), confidence, "")


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
