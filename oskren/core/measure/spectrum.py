"""Spectral measures: brightness, flatness, usable bandwidth."""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

SIZE = 2048
HOP = 1024
CLIFF_DB, FALL_DB = 40.0, 10.0
"""A fall of so much within half an octave is a band edge, which lies where the level has fallen by as much as the second."""

BANDS, LOWEST_HZ = 96, 20.0
"""Bands of an octave in which the edge is looked for, and where they begin."""

MOST_FRAMES = 400

DULL_HZ = 6000.0
"""A sound that reaches no higher is heard as dull (common practice, no source)."""


@functools.lru_cache(maxsize=4)
def hann(size: int) -> Samples:
    """Periodic Hann window."""
    return (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)).astype(np.float32)


@functools.lru_cache(maxsize=16)
def bins_hz(rate: int, bins: int) -> Samples:
    """Frequencies of the bins of a spectrum from 0 to half the rate, shape (bins,); not to be written to."""
    return np.linspace(0, rate / 2, bins, dtype=np.float32)


def magnitudes(mono: Samples, size: int = SIZE, hop: int = HOP) -> Samples:
    """Magnitudes of windowed frames: shape (frames, size // 2 + 1). ``mono`` has shape (n,) and is padded to whole frames, so that its end counts."""
    from scipy.fft import rfft

    mono = np.concatenate([mono, np.zeros(size - len(mono) if len(mono) < size else -(len(mono) - size) % hop, mono.dtype)])
    windows = np.lib.stride_tricks.sliding_window_view(mono, size)[::hop]
    return np.asarray(np.abs(rfft(windows * hann(size), axis=1)), dtype=np.float32)


@dataclass(frozen=True)
class Shape:
    """Sums over frames from which brightness and flatness follow; sums of parts add up to the whole."""

    power: float = 0.0
    centroid: float = 0.0
    flatness: float = 0.0

    def __add__(self, other: Shape) -> Shape:
        return Shape(self.power + other.power, self.centroid + other.centroid, self.flatness + other.flatness)

    @property
    def brightness_hz(self) -> float | None:
        return self.centroid / self.power if self.power > 1e-9 else None

    @property
    def flatness_mean(self) -> float | None:
        return self.flatness / self.power if self.power > 1e-9 else None


def shape(mags: Samples, rate: int) -> Shape:
    """Power-weighted sums of the frames' spectral centroid (Hz) and flatness.

    Parameters
    ----------
    mags : array, shape (frames, bins)

    Source: Peeters et al., "The Timbre Toolbox", JASA 130, 2011.
    """
    frequencies = bins_hz(rate, mags.shape[1])
    squares = mags * mags
    power = squares.sum(axis=1, dtype=np.float64)
    total = np.maximum(mags.sum(axis=1), 1e-12)
    centroid = (mags @ frequencies) / total
    floored = np.maximum(squares, 1e-10)
    flat = np.exp(np.log(floored).mean(axis=1)) / floored.mean(axis=1)
    return Shape(float(power.sum()), float((centroid * power).sum()), float((flat * power).sum()))


def _highest(mono: Samples, size: int) -> Floats:
    """Power of every bin in the frames where it is highest (99th percentile), over at most 400 frames, evenly spread."""
    from scipy.fft import rfft
    from scipy.signal import windows

    hop = max(size // 2, (len(mono) - size) // MOST_FRAMES)
    padded = np.pad(mono, (0, max(0, size - len(mono))))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop]
    window = windows.blackmanharris(size, sym=False).astype(np.float32)
    return np.asarray(np.percentile(np.square(np.abs(rfft(frames * window, axis=1))), 99, axis=0), np.float64)


def _cliff(power: Floats, bin_hz: float) -> float | None:
    """Where 40 dB are lost within half an octave and never climbed again (Hz); None where nowhere."""
    from scipy.ndimage import uniform_filter1d

    # bands of one width on the ear's scale, none narrower than two bins
    nyquist = (len(power) - 1) * bin_hz
    edges = LOWEST_HZ * 2.0 ** (np.arange(1, int(BANDS * math.log2(nyquist / LOWEST_HZ)) + 1) / BANDS)
    places, half = edges / bin_hz + 0.5, np.maximum(edges / bin_hz * (2 ** (0.5 / BANDS) - 1), 1.0)
    total = np.concatenate([[0.0], np.cumsum(power)])
    at = np.arange(len(total))
    sums = np.interp(places + half, at, total) - np.interp(places - half, at, total)
    level: Floats = uniform_filter1d(10 * np.log10(sums / (2 * half) + 1e-20), 3, mode="nearest")
    highest_above = np.maximum.accumulate(level[::-1])[::-1]
    # the mean of the half octave: a single partial is no band
    half_octave = uniform_filter1d(10 ** (level / 10), BANDS // 2, origin=BANDS // 4 - 1, mode="nearest")
    before = 10 * np.log10(np.maximum(half_octave, 1e-20))
    cliffs = np.flatnonzero(highest_above < before - CLIFF_DB)
    if not len(cliffs):
        return None
    # the edge lies where the fall began
    first = max(0, int(cliffs[0]) - BANDS // 2)
    here = level[first : cliffs[0]]
    return float(edges[first + int(np.flatnonzero(here > here.max() - FALL_DB)[-1])]) if len(here) else None


def bandwidth(mono: Samples, rate: int) -> float | None:
    """Highest frequency (Hz) whose 99th-percentile level stands 6 dB above the floor above it; None for silence.

    A fall of 40 dB within half an octave that is not climbed again is a band edge too, whatever lies above it.

    ``mono`` has shape (n,). At most 400 frames, evenly spread, are looked at; where it is long enough, the edge is told to 1 %.

    Examples
    --------
    >>> import numpy as np
    >>> noise = np.random.default_rng(1).normal(0, 0.1, 48_000).astype(np.float32)
    >>> bandwidth(noise, 48_000) > 20_000
    True
    >>> bandwidth(np.zeros(48_000, np.float32), 48_000) is None
    True
    """
    if len(mono) < 256 or not np.any(mono):
        return None
    coarse = 1 << max(8, math.ceil(math.log2(rate / 12)))
    # few frames leave much to chance, so more bins are averaged
    reach = 8 if len(mono) > 6 * coarse else 32
    smooth = np.convolve(np.pad(_highest(mono, coarse), reach, mode="reflect"), np.ones(2 * reach + 1) / (2 * reach + 1), mode="valid")
    level: Floats = 10 * np.log10(smooth + 1e-20)
    floor_above = np.maximum(np.minimum.accumulate(level[::-1])[::-1], level.max() - 96.0)
    standing = np.flatnonzero(level > floor_above + 6.0)
    edge = (int(standing[-1]) + 1 if len(standing) else coarse // 2) * rate / coarse
    # bins of 3 Hz where the sound is long enough, at any rate
    fine = 1 << max(10, min(math.ceil(math.log2(rate / 3)), max(coarse.bit_length() - 1, len(mono).bit_length() - 1)))
    cliff = _cliff(_highest(mono, fine), rate / fine)
    return float(min(edge, rate / 2) if cliff is None else min(cliff, edge))
