"""Strength: how hard a sound is, in five steps within its library."""

from __future__ import annotations

import numpy as np

from oskren.core.types import AnyArray, Floats

ATTACK_WEIGHT = 0.25
LOW_WEIGHT = 8.0
"""Own weights, no source: 20 dB of attack or two thirds of the power in the lows count as much as 5 dB of level."""

STEPS = 5


def force(max_momentary_lufs: float | None, attack_db: float, low_share: float) -> float | None:
    """One number (dB) from the loudest 400 ms (LUFS), the rise of the strongest attack (dB over 20 ms) and the share of lows.

    Grows with level, with a sharper attack and with more low end; None for silence.
    """
    if max_momentary_lufs is None:
        return None
    return round(max_momentary_lufs + ATTACK_WEIGHT * float(np.clip(attack_db, 0, 40)) + LOW_WEIGHT * low_share, 3)


def proposed(forces: AnyArray) -> Floats:
    """Strength 1 to 5 of every sound of a library by quantiles of its forces, shape (n,); NaN stays NaN.

    A library of fewer than five sounds is graded by fixed steps of 8 dB instead, -6 and up being the hardest.
    """
    result = np.full(len(forces), np.nan)
    known = ~np.isnan(forces)
    if known.sum() < STEPS:
        result[known] = np.clip(np.floor((forces[known] + 38) / 8) + 1, 1, STEPS)
        return result
    edges = np.quantile(forces[known], np.arange(1, STEPS) / STEPS)
    result[known] = 1 + np.searchsorted(edges, forces[known], side="right")
    return result
