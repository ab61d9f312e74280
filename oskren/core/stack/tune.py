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
    """The nearest note of equal temperament and how far a frequency lies from it (cents)."""
    number = 69 + 12 * math.log2(hz / CONCERT_HZ)
    nearest = round(number)
    return f"{NOTES[nearest % 12]}{nearest // 12 - 1}", 100 * (number - nearest)


def frequency_of(note: str) -> float:
    """Frequency (Hz) of a note such as A2, C#4 or Bb3, or of a number with Hz."""
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
    """Semitones that bring a fundamental onto another, or onto the nearest of its octaves."""
    shift = interval(hz, wanted_hz)
    return shift - 12 * round(shift / 12) if nearest_octave else shift
