"""Finding slices: levels are measured once, and a detector finds the slices in them."""

from __future__ import annotations

import numpy as np

from oskren.core.slice.detectors import Inside, detector_of
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings, analyse, threshold
from oskren.core.types import Samples

__all__ = ["FoundSlice", "Inside", "Levels", "SliceSettings", "analyse", "detect", "drawn", "inside", "threshold"]


def detect(levels: Levels, settings: SliceSettings) -> list[FoundSlice]:
    """Slices in order, never overlapping, as the detector of the settings finds them; none for silence.

    Parameters
    ----------
    levels : Levels
        What :func:`oskren.core.slice.levels.analyse` made of the sound, in one pass.
    settings : SliceSettings
        Which detector, and how it is set.

    Returns
    -------
    list of FoundSlice
        Begin and end in seconds.
    """
    return detector_of(settings.by).find(levels, settings)


def inside(levels: Levels, settings: SliceSettings) -> Inside | None:
    """What the detector takes attacks inside sounds for, and why; None when it looks at none."""
    detector = detector_of(settings.by)
    return None if detector.inside is None or not len(levels.standing.slow) else detector.inside(levels, settings)


def drawn(track: Samples, most: int = 600) -> list[float]:
    """A track as a line to be drawn: at most so many values (dB to a tenth), evenly from its begin to its end; the lowest of each stretch."""
    if not len(track):
        return []
    edges = np.unique(np.linspace(0, len(track), min(most, len(track)), endpoint=False).astype(int))
    return [round(float(value), 1) for value in np.minimum.reduceat(track, edges)]
