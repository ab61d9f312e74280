"""Short-time spectra: taken apart, each cell given a gain, put together again, block by block and from any position."""

from __future__ import annotations

import functools
import math
from typing import Protocol

import numpy as np

from oskren.core.steps.base import Context
from oskren.core.types import AnyArray, Floats, Samples


def frame_size(rate: int) -> int:
    """Length of a spectral frame: about 43 ms, a power of two."""
    return 1 << max(8, round(math.log2(rate * 0.0427)))


@functools.lru_cache(maxsize=4)
def window(size: int) -> Samples:
    """Square root of a periodic Hann window: used before and after, four overlapped squares sum to 2."""
    return np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)).astype(np.float32)


def spectra(samples: Samples, size: int) -> AnyArray:
    """Short-time spectra of whole frames, shape (frames, channels, bins), four to a length."""
    from scipy.fft import rfft

    frames = np.lib.stride_tricks.sliding_window_view(samples, size, axis=0)[:: size // 4]
    return np.asarray(rfft(frames * window(size), axis=2))


def power_of(spectra: AnyArray) -> Samples:
    """Power of spectral cells."""
    return np.asarray(np.square(spectra.real) + np.square(spectra.imag), dtype=np.float32)


@functools.lru_cache(maxsize=1)
def lifted() -> Samples:
    """exp(E1(v) / 2) for v from 2^-12 to 2^5, 64 values an octave: what the logarithmic estimate adds to Wiener's gain."""
    from scipy.special import exp1

    return np.asarray(np.exp(0.5 * exp1(2.0 ** (np.arange(17 * 64 + 1) / 64 - 12))), dtype=np.float32)


def _run_sums(cells: Samples, count: int, axis: int) -> Samples:
    """Sums of ``count`` neighbours along an axis, as many fewer as that takes; by doubling, so that few passes are made."""
    length = cells.shape[axis]

    def part(array: Samples, first: int, frames: int) -> Samples:
        return array[first : first + frames] if axis == 0 else array[:, first : first + frames]

    doubled, size, total, have = cells, 1, None, 0
    while True:
        if count & size:
            left = length - have - size + 1
            total = doubled if total is None else part(total, 0, left) + part(doubled, have, left)
            have += size
        if size * 2 > count:
            assert total is not None
            return total
        doubled = part(doubled, 0, length - 2 * size + 1) + part(doubled, size, length - 2 * size + 1)
        size *= 2


def even(cells: Samples, frames: int, bins: int) -> Samples:
    """Means over so many neighbours in time and frequency (both odd); at the edges those of the nearest whole neighbourhood."""
    sums = _run_sums(_run_sums(cells, frames, 0), bins, 1)
    sums *= np.float32(1 / (frames * bins))
    out = np.empty_like(cells)
    t, f = frames // 2, bins // 2
    out[t : len(out) - t, f : out.shape[1] - f] = sums
    out[t : len(out) - t, :f], out[t : len(out) - t, out.shape[1] - f :] = sums[:, :1], sums[:, -1:]
    out[:t], out[len(out) - t :] = out[t], out[len(out) - t - 1]
    return out


class Gain(Protocol):
    """Gains (frames, bins) of a channel's cells from their power (frames, bins); ``begins`` is each frame's first sample.

    Given are as many frames more as it asked for before and after; it answers for those between.
    """

    def __call__(self, power: Samples, channel: int, begins: AnyArray) -> Samples: ...


class Spectral:
    """Short-time spectra on a grid fixed to the sound's first frame, gained and overlapped again: a stream.

    Parameters
    ----------
    before, after : int
        Spectral frames the gain looks at on either side.
    """

    def __init__(self, gain: Gain, before: int, after: int, at: Context, position: int):
        self._size = frame_size(at.rate)
        self._hop = self._size // 4
        self._gain, self._before, self._after, self._channels = gain, before, after, at.channels
        first = position // self._hop * self._hop
        # spectral frames start a whole frame early, and the gain looks further back
        early = self._size - self._hop + before * self._hop + (position - first)
        self._begins = position - early
        """Frame of the input where the next spectral frame begins."""
        self._held: Samples = np.zeros((early, at.channels), np.float32)
        self._overlap: Samples = np.zeros((self._size - self._hop, at.channels), np.float32)
        self._discard = position - first + self._size - self._hop
        self._due = 0

    @staticmethod
    def lead(before: int, rate: int) -> int:
        """Frames before a position that must run through first."""
        return 2 * frame_size(rate) + (before + 1) * frame_size(rate) // 4

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        self._due += len(block)
        return self._give()

    def flush(self) -> Samples:
        self._held = np.concatenate([self._held, np.zeros((self._size + (self._after + 1) * self._hop, self._channels), np.float32)])
        return self._give()[: self._due]

    def _give(self) -> Samples:
        size, hop = self._size, self._hop
        total = (len(self._held) - size) // hop + 1
        count = total - self._before - self._after
        if count <= 0:
            return np.zeros((0, self._channels), np.float32)
        from scipy.fft import irfft

        cells = spectra(self._held[: size + (total - 1) * hop], size)
        middle = cells[self._before : total - self._after]
        begins = self._begins + np.arange(total) * hop
        for channel in range(self._channels):
            middle[:, channel] *= self._gain(power_of(cells[:, channel]), channel, begins)
        parts = irfft(middle, size, axis=2) * (window(size) * np.float32(0.5))
        out = np.zeros((size + (count - 1) * hop, self._channels), np.float32)
        out[: size - hop] = self._overlap
        rows = out.reshape(-1, hop, self._channels)
        for quarter in range(4):
            rows[quarter : quarter + count] += parts[:, :, quarter * hop : (quarter + 1) * hop].transpose(0, 2, 1)
        self._overlap = out[count * hop :]
        self._held = self._held[count * hop :]
        self._begins += count * hop
        given = out[: count * hop]
        drop = min(self._discard, len(given))
        self._discard -= drop
        given = given[drop:]
        self._due -= len(given)
        return given


def spectra_of(samples: Floats, size: int, hop: int) -> AnyArray:
    """Spectra of a channel's frames under the root of a Hann window, one every ``hop`` frames: shape (frames, bins)."""
    from scipy.fft import rfft

    window = np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size))
    return np.asarray(rfft(np.lib.stride_tricks.sliding_window_view(samples, size)[::hop] * window, axis=1))


def put_together(spectra: AnyArray, size: int, hop: int) -> Floats:
    """The sound of such spectra, each under the window once more, overlapped."""
    from scipy.fft import irfft

    window = np.sqrt(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size))
    parts = irfft(spectra, size, axis=1) * window
    out = np.zeros(hop * (len(parts) - 1) + size)
    for i, part in enumerate(parts):
        out[i * hop : i * hop + size] += part
    return out * (hop / size * 2)
