"""What a detector is, and the registry that is the only list of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from oskren.core.errors import OskrenError
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings


@dataclass(frozen=True)
class Detector:
    """A way to find slices.

    Parameters
    ----------
    key : str
        As ``SliceSettings.by`` names it.
    settings : tuple of str
        The settings it looks at, in the order they are offered; the others change nothing.
    find : function of Levels and SliceSettings
        Gives slices in order, never overlapping, inside the sound; none for silence.
    """

    key: str
    settings: tuple[str, ...]
    find: Callable[[Levels, SliceSettings], list[FoundSlice]]


DETECTORS: dict[str, Detector] = {}


def register(detector: Detector) -> Detector:
    """Make a detector known under its key."""
    if detector.key in DETECTORS:
        raise ValueError(f"two detectors are called {detector.key}")
    DETECTORS[detector.key] = detector
    return detector


def detector_of(key: str) -> Detector:
    """The detector of a key; OskrenError when there is none."""
    try:
        return DETECTORS[key]
    except KeyError:
        raise OskrenError(f"Slices cannot be found by '{key}'; there are {', '.join(DETECTORS)}.") from None
