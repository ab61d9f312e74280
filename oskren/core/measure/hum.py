"""Mains hum: whether it is there, at which frequency exactly, and which of its harmonics stand out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

WINDOW_S = 8.0
"""Length of the spectra hum is looked for in: long, so that a steady line stands far above what moves."""

MAINS_HZ = (50.0, 60.0)
ASTRAY_HZ = 0.6
"""How far mains, or a machine that was recorded at another speed, may lie from its name."""

STANDS_OUT_DB = 11.0
LOUDEST_DB = 30.0
"""A line that stands out more than this counts no more for it."""

LOOKED_AT = 12
"""Harmonics by which hum is found."""


@dataclass(frozen=True)
class Hum:
    """Hum that was found: its frequency (Hz), and the level (dB) of every harmonic from the first on over what lies around it."""

    frequency_hz: float
    over_db: tuple[float, ...]

    @property
    def harmonics(self) -> tuple[int, ...]:
        """Harmonics that stand out."""
        return tuple(place for place, over in enumerate(self.over_db, 1) if over >= STANDS_OUT_DB)


def mean_power(mono: Samples, rate: int) -> tuple[Floats, float]:
    """Mean power spectrum of long Hann windows half over each other, and the width of a bin (Hz)."""
    size = min(len(mono), round(WINDOW_S * rate))
    window = np.hanning(size)
    padded = 1 << (2 * size - 1).bit_length()
    starts = range(0, len(mono) - size + 1, max(1, size // 2))
    power = np.zeros(padded // 2 + 1)
    for start in starts:
        power += np.square(np.abs(np.fft.rfft(mono[start : start + size] * window, padded)))
    return power / max(1, len(starts)), rate / padded


def _around(power: Floats, bin_hz: float, hz: float) -> tuple[float, float]:
    """Frequency of the strongest bin near ``hz``, by a parabola through its logarithm, and its level (dB) over the median of its surroundings."""
    reach = max(2, round(ASTRAY_HZ * max(1.0, hz / 50) / bin_hz))
    middle = round(hz / bin_hz)
    if middle + round(14 / bin_hz) >= len(power):
        return hz, -np.inf
    top = middle - reach + int(np.argmax(power[middle - reach : middle + reach + 1]))
    a, b, c = np.log(power[top - 1 : top + 2] + 1e-30)
    curve = a - 2 * b + c
    exact = top + (0.5 * (a - c) / curve if curve < 0 else 0.0)
    near, far = round(3 / bin_hz), round(14 / bin_hz)
    sides = np.concatenate([power[max(1, top - far) : max(1, top - near)], power[top + near : top + far]])
    # what lies 90 dB under the loudest is rounding, not hum
    least = float(power.max()) * 1e-9 + 1e-30
    return exact * bin_hz, float(10 * np.log10((power[top] + least) / (np.median(sides) + least)))


def find_hum(mono: Samples, rate: int, mains_hz: float | None = None) -> Hum | None:
    """Look for mains hum.

    Parameters
    ----------
    mono : array, shape (frames,)
    mains_hz : float, optional
        50 or 60 when it is known; else whichever stands out more.

    Returns
    -------
    Hum or None
        None when no line stands out, or the sound is shorter than half a second. The frequency is that of the harmonics
        that stand out, each weighted by its number and its level: within 0.01 Hz where three of them do, over some seconds.
    """
    if len(mono) < rate // 2:
        return None
    power, bin_hz = mean_power(mono.astype(np.float64), rate)
    best: tuple[float, Hum] | None = None
    for mains in (mains_hz,) if mains_hz else MAINS_HZ:
        found = [_around(power, bin_hz, mains * place) for place in range(1, LOOKED_AT + 1)]
        # harmonics must agree: of all lines that stand out the one counts that most others lie at multiples with; louder
        # ones of the sound itself do not outvote them
        bases = [hz / place for place, (hz, level) in enumerate(found, 1) if level >= STANDS_OUT_DB]
        over: list[float] = []
        for base in bases:
            agree = [abs(hz / place - base) < 0.08 + bin_hz / place for place, (hz, _) in enumerate(found, 1)]
            here = [min(level, LOUDEST_DB) if same else 0.0 for (_, level), same in zip(found, agree, strict=True)]
            over = max(over, here, key=lambda one: sum(level for level in one if level >= STANDS_OUT_DB))
        weights = np.array([place * max(0.0, level - STANDS_OUT_DB / 2) for place, level in enumerate(over, 1)])
        standing = sum(level >= STANDS_OUT_DB for level in over)
        # one line alone is a tone, unless it is the mains itself
        if standing == 0 or (standing == 1 and over[0] < STANDS_OUT_DB + 6) or weights.sum() == 0:
            continue
        exact = float(np.sum(weights * [hz / place for place, (hz, _) in enumerate(found, 1)]) / weights.sum())
        score = sum(level for level in over if level >= STANDS_OUT_DB)
        if best is None or score > best[0]:
            best = score, Hum(exact, tuple(over))
    return best[1] if best else None
