"""Resonances: narrow peaks of the long-term spectrum that stand out of what lies around them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

LONGEST = 1 << 15
FEWEST_FRAMES = 8
STANDS_OUT_DB = 6.0
WIDEST_OCTAVES = 1 / 4
AROUND_OCTAVES = 0.7
MOST = 12
SMOOTHED_OCTAVES = 1 / 48
"""The spectrum is averaged over so much: a resonance in noise is one peak then, not its many accidents."""

HANN_3DB_BINS = 1.44
"""Width of the Hann window's main lobe at half its power."""


@dataclass(frozen=True)
class Resonance:
    """A narrow peak: its frequency (Hz), its height over the spectrum around it (dB), and its width at half its power (Hz)."""

    frequency_hz: float
    height_db: float
    width_hz: float

    @property
    def q(self) -> float:
        """Quality: frequency over width."""
        return self.frequency_hz / max(self.width_hz, 1e-3)


def _spectrum(mono: Samples, rate: int) -> tuple[Floats, int, int]:
    """Mean power spectrum of Hann windows half over each other, a little smoothed, the windows' length, and how many there were."""
    size = 1 << min(int(math.log2(LONGEST)), int(math.log2(max(1, len(mono) // FEWEST_FRAMES))))
    window = np.hanning(size + 1)[:-1]
    power = np.zeros(size // 2 + 1)
    starts = range(0, len(mono) - size + 1, size // 2)
    for start in starts:
        power += np.square(np.abs(np.fft.rfft(mono[start : start + size] * window)))
    # each bin the mean of those around it, three at least
    bins = np.arange(len(power))
    reach = np.maximum(1, np.rint(bins * (2 ** (SMOOTHED_OCTAVES / 2) - 1))).astype(np.int64)
    total = np.concatenate([[0.0], np.cumsum(power)])
    low, high = np.maximum(0, bins - reach), np.minimum(len(power), bins + reach + 1)
    return (total[high] - total[low]) / (high - low) / max(1, len(starts)), size, len(starts)


def find_resonances(mono: Samples, rate: int, lowest_hz: float = 40.0) -> list[Resonance]:
    """Narrow peaks of a sound, the highest first, at most twelve.

    Parameters
    ----------
    mono : array, shape (frames,)
        A quarter of a second at least; less gives none.
    lowest_hz : float
        Peaks below this are left to the high-pass.

    The spectrum around a peak is the median within 0.7 octaves on either side, so that neither one peak nor a slope counts
    as surroundings. What is wider than a quarter of an octave is colour, not resonance.
    """
    if len(mono) < rate // 4:
        return []
    power, size, frames = _spectrum(mono.astype(np.float64), rate)
    if power.max(initial=0.0) <= 0:
        return []
    level = 10 * np.log10(power + power.max() * 1e-12)
    bin_hz = rate / size
    first, last = max(3, math.ceil(lowest_hz / bin_hz)), len(level) - 3
    # the fewer windows, the rougher the mean: ask for more then (of noise, a mean of K powers varies by 1/sqrt(K))
    least = STANDS_OUT_DB + 4 * 4.34 / math.sqrt(max(1.0, frames * 0.7))
    tops = [i for i in range(first, last) if level[i] >= level[i - 1] and level[i] > level[i + 1] and level[i] == level[i - 2 : i + 3].max()]
    found: list[Resonance] = []
    for top in sorted(tops, key=lambda i: -level[i]):
        low, high = int(top * 2**-AROUND_OCTAVES), min(len(level), math.ceil(top * 2**AROUND_OCTAVES) + 2)
        around = float(np.median(level[max(1, low) : high]))
        height = float(level[top]) - around
        if height < least:
            continue
        a, b, c = level[top - 1 : top + 2]
        curve = a - 2 * b + c
        exact = top + (0.5 * (a - c) / curve if curve < 0 else 0.0)
        width = _width(level, top) * bin_hz
        own = max(HANN_3DB_BINS * bin_hz, top * bin_hz * (2**SMOOTHED_OCTAVES - 1) * 0.7)
        width = math.sqrt(max(width**2 - own**2, (0.5 * own) ** 2))
        frequency = float(exact * bin_hz)
        near = any(abs(math.log2(frequency / one.frequency_hz)) < WIDEST_OCTAVES / 2 and abs(frequency - one.frequency_hz) < 2 * one.width_hz for one in found)
        if width <= frequency * (2 ** (WIDEST_OCTAVES / 2) - 2 ** (-WIDEST_OCTAVES / 2)) and not near:
            found.append(Resonance(round(frequency, 2), round(height, 2), round(width, 2)))
    return sorted(found, key=lambda one: -one.height_db)[:MOST]


def _width(level: Floats, top: int) -> float:
    """Bins between the points 3.01 dB below a peak, on straight lines between bins."""
    edge = level[top] - 3.01

    def crossing(step: int) -> float:
        i = top
        while 0 < i < len(level) - 1 and level[i] > edge:
            i += step
        before, here = level[i - step], level[i]
        return abs(i - top) - (float((edge - here) / (before - here)) if before > here else 0.0)

    return crossing(1) + crossing(-1)
