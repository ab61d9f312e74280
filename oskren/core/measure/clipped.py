"""Peaks that were cut off: where they lie."""

from __future__ import annotations

import numpy as np

from oskren.core.measure.runs import runs_of
from oskren.core.types import Floats

PILED = 6
"""Samples at the very top from which on they can be too many for a sound that was not cut."""


def clipped_runs(samples: Floats, within_db: float = 0.05) -> list[tuple[int, int]]:
    """Runs of samples that were cut off at the highest or lowest value: (first frame, frame after the last).

    Parameters
    ----------
    within_db : float
        How far below the extreme still counts as at it.

    A peak that was cut off is flat: its samples lie closer together than those of a round one that reaches as high. Where
    more samples lie at the very top than in the half decibel under it, single ones were cut off too: of a sine a tenth as
    many lie there, of noise one.
    """
    found: list[tuple[int, int]] = []
    depth = 1 - 10 ** (-within_db / 20)
    for sign in (1.0, -1.0):
        signed = samples * sign
        top = float(signed.max(initial=0.0))
        if top <= 1e-4:
            continue
        very = signed >= top * (1 - 0.1 * depth)
        piled = _piled(signed, top, int(very.sum()))
        firsts, lasts = runs_of(signed >= top * (1 - depth))
        # of a round peak that reaches so high a third lies in the highest tenth
        at_top = np.concatenate([[0], np.cumsum(very)])
        shares = (at_top[lasts] - at_top[firsts]) / np.maximum(lasts - firsts, 1)
        cut = (shares >= 0.6) & ((lasts - firsts >= 3) | piled)
        found += zip(firsts[cut].tolist(), lasts[cut].tolist(), strict=True)
    return sorted(found)


def _piled(signed: Floats, top: float, count: int) -> bool:
    """Whether samples are piled up at the top: more than in the half decibel under it, at a resolution that tells them apart."""
    if count < PILED or count <= np.count_nonzero(signed >= top * 10 ** (-0.5 / 20)) - count:
        return False
    steps = np.abs(signed[signed != 0])
    return bool(top >= 100 * steps.min())
