"""Tuning: the fundamental of a layer as it is heard, the interval to others, the shift that makes them agree."""

from __future__ import annotations

import math
import re

from oskren.core.errors import OskrenError

TONAL = 0.8
"""Confidence from which a layer counts as tonal."""

NOTES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
CONCERT_HZ = 440.0
"""A4 (ISO 16)."""


def note_of(hz: float) -> tuple[str, float]:
    """The nearest note of equal temperament and how far a frequency lies from it (cents).

    Parameters
    ----------
    hz : float

    Returns
    -------
    name : str
        With the octave of scientific pitch notation (A4 = 440 Hz).
    cents : float
        -50 to 50, above the note when positive.

    Examples
    --------
    >>> name, cents = note_of(446.0)
    >>> name, round(cents)
    ('A4', 23)
    """
    number = 69 + 12 * math.log2(hz / CONCERT_HZ)
    nearest = round(number)
    return f"{NOTES[nearest % 12]}{nearest // 12 - 1}", 100 * (number - nearest)


def frequency_of(note: str) -> float:
    """Frequency (Hz) of a note such as A2, C#4 or Bb3, or of a number with Hz.

    Raises
    ------
    OskrenError
        When it names no note.

    Examples
    --------
    >>> round(frequency_of("C4"), 2), frequency_of("441 Hz")
    (261.63, 441.0)
    """
    written = note.strip()
    if plain := re.fullmatch(r"([\d.]+)\s*(?:hz)?", written, re.IGNORECASE):
        value = float(plain[1]) if plain[1].count(".") < 2 else 0.0
        if 10 <= value <= 20_000:
            return value
    if named := re.fullmatch(r"([A-Ga-g])([#b♯♭]?)(-?\d)", written):
        step = NOTES.index(named[1].upper()) + {"#": 1, "♯": 1, "b": -1, "♭": -1, "": 0}[named[2]]
        return float(CONCERT_HZ * 2 ** ((step + 12 * (int(named[3]) + 1) - 69) / 12))
    raise OskrenError(f"'{note}' is no note: write one as A2, C#4 or Bb3, or a frequency such as 110 Hz.")


def interval(hz: float, other_hz: float) -> float:
    """Semitones from one fundamental up to another."""
    return 12 * math.log2(other_hz / hz)


def shift_to(hz: float, wanted_hz: float, *, nearest_octave: bool) -> float:
    """Semitones that bring a fundamental onto another, or onto the nearest of its octaves.

    Parameters
    ----------
    hz, wanted_hz : float
        The present fundamental and the wanted one (Hz).
    nearest_octave : bool
        Go to the nearest octave of the wanted one, half an octave away at most.

    Returns
    -------
    float
        Semitones.

    Examples
    --------
    >>> shift_to(110.0, 440.0, nearest_octave=False), shift_to(110.0, 440.0, nearest_octave=True)
    (24.0, 0.0)
    """
    shift = interval(hz, wanted_hz)
    return shift - 12 * round(shift / 12) if nearest_octave else shift
