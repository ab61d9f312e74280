"""Time warping with the pitch kept: a phase vocoder that reads its input along any rising line of time."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from oskren.core.audio.levelled import level_back
from oskren.core.types import AnyArray, Floats, Samples

Spectrum = NDArray[np.complex128]

HOPS = 8
"""Windows that overlap at any moment of the output."""

ATTACK_DB = 9.0
"""A rise of the energy from one look to the next by which an attack is known: there the phases start anew, so that it stays sharp."""


def _nearest_peak(size: AnyArray) -> AnyArray:
    """For every bin the peak whose region it lies in; regions meet half-way between peaks."""
    higher = (size[2:-2] > size[1:-3]) & (size[2:-2] > size[3:-1]) & (size[2:-2] >= size[:-4]) & (size[2:-2] >= size[4:])
    peaks = np.flatnonzero(higher) + 2
    if not len(peaks):
        return np.arange(len(size))
    edges = (peaks[1:] + peaks[:-1]) // 2
    return np.asarray(peaks[np.searchsorted(edges, np.arange(len(size)))])


def _rotation(region: AnyArray, last: Spectrum, earlier: Spectrum) -> Spectrum:
    """By what every bin is turned so that its region goes on from what was given last: one least-squares rotation a region, over all its bins and channels.

    Parameters
    ----------
    region : array, shape (bins,)
        The peak whose region each bin lies in.
    last, earlier : array, shape (bins, channels)
        What was given one hop ago, and the input one hop before the place that is read now.
    """
    agrees = np.sum(last * np.conj(earlier), axis=1)
    whole = np.bincount(region, agrees.real, len(region)) + 1j * np.bincount(region, agrees.imag, len(region))
    size = np.abs(whole)
    return np.asarray(np.where(size > 1e-20, whole / np.maximum(size, 1e-20), 1.0)[region])


def warped(samples: Samples, places: Callable[[Floats], Floats], frames: int, rate: int, block_ms: float = 60.0) -> Samples:
    """A sound with its moments moved and its pitch kept; shape (frames, channels).

    Phases advance by what they advance in the input over the same time, measured at every place anew, and bins keep their phase to
    the peak they belong to (Laroche and Dolson, "Improved phase vocoder time-scale modification of audio", IEEE Trans. Speech and
    Audio Processing 7, 1999: identity phase locking). All channels turn by the same angle, found over all of them, so that the image
    stays, also where they cancel each other in a sum.

    Parameters
    ----------
    places : callable
        Input moments (s) for output moments (s).
    block_ms : float
        Length of the window: longer ones suit low material, shorter ones attacks.
    """
    from scipy.fft import irfft, next_fast_len, rfft

    size = next_fast_len(max(64, round(block_ms / 1000 * rate)), real=True)
    size += size % 2
    hop, lanes = max(1, size // HOPS), samples.shape[1]
    window = np.sin(np.pi * (np.arange(size) + 0.5) / size) ** 2
    before = size + hop
    padded = np.pad(samples, ((before, before + size), (0, 0))).astype(np.float64)
    count = frames // hop + HOPS + 1
    at = np.arange(count) * hop - size // 2
    centres = np.round(np.clip(places((at + size / 2) / rate) * rate, -size, len(samples) + size // 2)).astype(np.int64)
    out = np.zeros((count * hop + size, lanes))
    last: Spectrum | None = None
    power = 0.0
    for i, centre in enumerate(centres):
        start = int(centre) - size // 2 + before
        here = rfft(padded[start : start + size] * window[:, None], axis=0)
        earlier = rfft(padded[start - hop : start - hop + size] * window[:, None], axis=0)
        strength = np.sum(here.real**2 + here.imag**2, axis=1)
        now = float(strength.sum())
        grown = now > power * 10 ** (ATTACK_DB / 10)
        power = max(now, 1e-20)
        if last is not None and not grown:
            here *= _rotation(_nearest_peak(strength), last, earlier)[:, None]
        last = here
        out[i * hop : i * hop + size] += irfft(here, size, axis=0) * window[:, None]
    gain = np.sum(window**2) / hop
    made = out[size // 2 : size // 2 + frames] / gain
    return np.asarray(made * level_back(samples, made, lambda moments: places(moments) * rate, rate, size), np.float32)
