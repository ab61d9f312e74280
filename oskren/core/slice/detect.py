"""Finding slices: levels are measured once, and a detector finds the slices in them."""

from __future__ import annotations

from oskren.core.slice.detectors import detector_of
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings, analyse, threshold

__all__ = ["FoundSlice", "Levels", "SliceSettings", "analyse", "detect", "threshold"]


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
