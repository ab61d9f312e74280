"""Spectral measures: brightness, flatness, usable bandwidth."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np

from oskren.core.types import Floats, Samples

SIZE = 2048
HOP = 1024
CLIFF_DB = 40.0
DULL_HZ = 6000.0
"""A sound that reaches no higher is heard as dull (common practice, no source)."""


@functools.lru_cache(maxsize=4)
def hann(size: int) -> Samples:
    """Periodic Hann window."""
    return (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)).astype(np.float32)


def magnitudes(mono: Samples, size: int = SIZE, hop: int = HOP) -> Samples:
    """Magnitudes of windowed frames: shape (frames, size // 2 + 1). ``mono`` has shape (n,) and is padded to whole frames, so that its end counts."""
    from scipy.fft import rfft

    mono = np.pad(mono, (0, size - len(mono) if len(mono) < size else -(len(mono) - size) % hop))
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
    frequencies = np.linspace(0, rate / 2, mags.shape[1], dtype=np.float32)
    squares = mags * mags
    power = squares.sum(axis=1, dtype=np.float64)
    total = np.maximum(mags.sum(axis=1), 1e-12)
    centroid = (mags @ frequencies) / total
    floored = np.maximum(squares, 1e-10)
    flat = np.exp(np.log(floored).mean(axis=1)) / floored.mean(axis=1)
    return Shape(float(power.sum()), float((centroid * power).sum()), float((flat * power).sum()))


def bandwidth(mono: Samples, rate: int) -> float | None:
    """Highest frequency (Hz) whose 99th-percentile level stands 6 dB above the floor above it; None for silence.

    A fall of 40 dB within half an octave that is not climbed again is a band edge too, whatever lies above it.

    ``mono`` has shape (n,). At most 400 frames, evenly spread, are looked at.

    Examples
    --------
    >>> import numpy as np
    >>> noise = np.random.default_rng(1).normal(0, 0.1, 48_000).astype(np.float32)
    >>> bandwidth(noise, 48_000) > 20_000
    True
    >>> bandwidth(np.zeros(48_000, np.float32), 48_000) is None
    True
    """
    size = 4096
    if len(mono) < 256 or not np.any(mono):
        return None
    from scipy.signal import windows

    hop = max(size // 2, (len(mono) - size) // 400)
    padded = np.pad(mono, (0, max(0, size - len(mono))))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop]
    window = windows.blackmanharris(size, sym=False).astype(np.float32)
    power = np.square(np.abs(np.fft.rfft(frames * window, axis=1)))
    high = np.percentile(power, 99, axis=0)
    smooth = np.convolve(np.pad(high, 8, mode="edge"), np.ones(17) / 17, mode="valid")
    level: Floats = 10 * np.log10(smooth + 1e-20)
    floor_above = np.maximum(np.minimum.accumulate(level[::-1])[::-1], level.max() - 96.0)
    standing = np.flatnonzero(level > floor_above + 6.0)
    edge = int(standing[-1]) + 1 if len(standing) else size // 2
    highest_above = np.maximum.accumulate(level[::-1])[::-1]
    for bin_ in range(8, edge):
        before = level[int(bin_ / 1.414) : bin_]
        if highest_above[bin_] < before.max() - CLIFF_DB:
            # the edge lies where the fall began, half of it up
            edge = bin_ - len(before) + 1 + int(np.flatnonzero(before > before.max() - CLIFF_DB / 2)[-1])
            break
    return float(min(edge, size // 2) * rate / size)
