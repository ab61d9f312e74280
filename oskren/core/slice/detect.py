"""Finding slices: levels are measured once, and a detector finds the slices in them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from oskren.core.slice.detectors import Inside, detector_of
from oskren.core.slice.detectors.grid import GRID
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings, analyse, threshold
from oskren.core.types import Samples

__all__ = ["FoundSlice", "Inside", "Levels", "SliceSettings", "analyse", "detect", "drawn", "inside", "lines", "parted", "threshold"]


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
    found = detector_of(settings.by).find(levels, settings)
    return parted(found, lines(levels, settings), settings.min_length_ms / 1000) if settings.parted and settings.by != settings.parted else found


def lines(levels: Levels, settings: SliceSettings) -> list[float]:
    """Moments (s) that what is found is parted at too: the starts of markers, or lines of a grid."""
    if settings.parted == "markers":
        return sorted(start for start, _ in levels.markers)
    return [one.start_s for one in GRID.find(levels, settings)]


def parted(found: Sequence[FoundSlice], at: Sequence[float], least_s: float) -> list[FoundSlice]:
    """Slices cut where moments fall inside them; a part shorter than ``least_s`` is left with the one it belongs to.

    >>> whole = FoundSlice(start_s=1.0, end_s=3.0, attack_s=1.1)
    >>> [(one.start_s, one.end_s, one.attack_s) for one in parted([whole], [0.5, 2.0, 2.999], 0.01)]
    [(1.0, 2.0, 1.1), (2.0, 3.0, 2.0)]
    """
    parts: list[FoundSlice] = []
    moments = np.asarray(sorted(at))
    for one in found:
        start = one.start_s
        for moment in moments[np.searchsorted(moments, one.start_s) : np.searchsorted(moments, one.end_s)].tolist():
            if moment - start >= least_s and one.end_s - moment >= least_s:
                parts.append(FoundSlice(start_s=start, end_s=moment, attack_s=min(max(one.attack_s, start), moment)))
                start = moment
        parts.append(FoundSlice(start_s=start, end_s=one.end_s, attack_s=min(max(one.attack_s, start), one.end_s)))
    return parts


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
