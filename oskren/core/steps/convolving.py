"""Convolution of a stream with a long response, with the dry sound mixed in."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from oskren.core.steps.base import Context, Params
from oskren.core.types import AnyArray, Floats, Samples

Level = Callable[[int, int], Floats]
"""Amplitudes, shape (1 or count, 1), of a count of frames from a frame on."""


class Partitioned:
    """Convolution of a stream with a long response: both cut into parts of one length, which meet in the frequency domain.

    Source: overlap-save with a uniformly partitioned filter (Gardner, JAES 43 (3), 1995, gives the non-uniform one). Blocks of
    any size go in; out come those parts that are whole, the rest and the tail on ``flush``.
    """

    def __init__(self, impulse: Samples):
        from scipy.fft import rfft

        self._size = size = int(np.clip(1 << max(8, round(math.log2(len(impulse) / 6 + 1))), 1 << 10, 1 << 14))
        self._channels, self._tail = impulse.shape[1], len(impulse) - 1
        count = math.ceil(len(impulse) / size)
        padded = np.concatenate([impulse, np.zeros((count * size - len(impulse), self._channels), np.float32)]).astype(np.float32)
        self._parts: AnyArray = rfft(padded.reshape(count, size, self._channels), 2 * size, axis=1)
        self._spectra: AnyArray = np.zeros_like(self._parts)
        self._place = 0
        self._held: Samples = np.zeros((0, self._channels), np.float32)
        self._before: Samples = np.zeros((size, self._channels), np.float32)

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block.astype(np.float32, copy=False)])
        given = []
        while len(self._held) >= self._size:
            given.append(self._part(self._held[: self._size]))
            self._held = self._held[self._size :]
        return np.concatenate(given) if given else np.zeros((0, self._channels), np.float32)

    def flush(self) -> Samples:
        left = len(self._held) + self._tail
        return self.push(np.zeros((self._tail + self._size, self._channels), np.float32))[:left]

    def _part(self, block: Samples) -> Samples:
        from scipy.fft import irfft, rfft

        # the newest spectrum stands at ``_place``, older ones behind it and, round the end, before it
        self._place = (self._place - 1) % len(self._parts)
        self._spectra[self._place] = rfft(np.concatenate([self._before, block]), axis=0)
        newer = len(self._parts) - self._place
        total = np.einsum("pfc,pfc->fc", self._spectra[self._place :], self._parts[:newer])
        if self._place:
            total += np.einsum("pfc,pfc->fc", self._spectra[: self._place], self._parts[newer:])
        self._before = block
        return np.asarray(irfft(total, axis=0)[self._size :], np.float32)


class Convolution:
    """Convolution with the dry sound mixed in; the tail comes out on ``flush``. What the wet follows is how much goes into the room.

    ``into``, shape (channels, channels): how much of each channel (rows) goes into each channel of the room; only its own when None.
    """

    def __init__(self, impulse: Samples, wet: Level, dry: Level, position: int = 0, into: Samples | None = None):
        self._room, self._wet, self._dry, self._into = Partitioned(impulse), wet, dry, into
        self._fed = self._here = position
        self._held: Samples = np.zeros((0, impulse.shape[1]), np.float32)

    def push(self, block: Samples) -> Samples:
        if not len(block):
            return block
        self._held = np.concatenate([self._held, block])
        fed = block if self._into is None else block @ self._into
        wet = self._room.push(np.asarray(fed * self._wet(self._fed, len(block)), np.float32))
        self._fed += len(block)
        return self._give(wet)

    def flush(self) -> Samples:
        return self._give(self._room.flush())

    def _give(self, wet: Samples) -> Samples:
        if not len(wet):
            return wet
        own, self._held = self._held[: len(wet)], self._held[len(wet) :]
        wet[: len(own)] += own * self._dry(self._here, len(own)) if len(own) else 0
        self._here += len(wet)
        return wet


def amplitudes(params: Params, at: Context, name: str) -> Level:
    """Amplitudes of a level (dB) that may follow an envelope."""
    return lambda first, count: 10.0 ** (np.asarray(at.moved(name, getattr(params, name), first, count)) / 20).reshape(-1, 1)
