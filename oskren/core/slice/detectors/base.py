"""What a detector is, and the registry that is the only list of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from pydantic import BaseModel

from oskren.core.errors import OskrenError
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings


class Inside(BaseModel):
    """What attacks inside sounds were taken for, and why.

    sounds stand over the floor, parted of them are parted at attacks inside; attacks are those looked at, rise_db their median, quiet the share of
    the time (0 to 1) in which nothing sounds.
    """

    taken: Literal["apart", "overlapping", "both"]
    sounds: int
    parted: int
    attacks: int
    rise_db: float | None
    quiet: float


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
    inside : function of Levels and SliceSettings, optional
        Says what it takes attacks inside sounds for.
    """

    key: str
    settings: tuple[str, ...]
    find: Callable[[Levels, SliceSettings], list[FoundSlice]]
    inside: Callable[[Levels, SliceSettings], Inside] | None = None


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
