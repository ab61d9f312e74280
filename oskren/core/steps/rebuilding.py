"""Samples that were cut off are rebuilt: the sparsest spectrum that agrees with all that is known of them.

A frame's spectrum is thinned to what stands over a threshold, the known samples are put back and the cut ones held at or beyond
the level they were cut at; from round to round the threshold falls, so that what is strongest settles first. It belongs to the
consistent methods that Záviška and others compare (A survey and an extensive evaluation of popular audio declipping methods,
2021); rounds, thresholds and momentum are our own, chosen on recordings.
"""

from __future__ import annotations

import math

import numpy as np

from oskren.core.steps.base import Context
from oskren.core.steps.spectral import window
from oskren.core.types import AnyArray, Samples

ROUNDS = 40
FROM_DB, TO_DB = -3.0, -60.0
"""The threshold in the first and the last round, under the strongest cell of the frame."""

MOMENTUM = 0.6
"""How far the first half of the rounds goes on in the direction of the last change."""

FURTHEST = 2.5
"""How far a peak may rise, as a factor of the level it was cut at."""

AT_ONCE = 64
"""Frames worked on together: as many as stay close at hand."""


def frame_size(rate: int) -> int:
    """Length of a frame: about 43 ms, a power of two; shorter ones lose tones under 200 Hz."""
    return 1 << max(9, round(math.log2(rate * 0.0427)))


def settle(frames: Samples, cut: AnyArray) -> Samples:
    """Rebuild the cut samples of windowed frames.

    Parameters
    ----------
    frames : array, shape (n, size)
        Frames under the window they will be overlapped with.
    cut : array of bool, shape (n, size)
        Samples of which only sign and least height are known.

    Returns
    -------
    array, shape (n, size)
        The same outside ``cut``; there at least as far from zero as it was, at most ``FURTHEST`` times.
    """
    from scipy.fft import irfft, rfft

    far = np.float32(FURTHEST) * frames
    low = np.where(cut & (frames < 0), far, frames)
    high = np.where(cut & (frames > 0), far, frames)
    now = last = frames
    for place, threshold_db in enumerate(np.linspace(FROM_DB, TO_DB, ROUNDS)):
        ahead = now + np.float32(MOMENTUM) * (now - last) if place < ROUNDS // 2 else now
        last = now
        cells = rfft(ahead, axis=1)
        power = np.square(cells.real) + np.square(cells.imag)
        cells[power < power.max(axis=1, keepdims=True) * np.float32(10 ** (threshold_db / 10))] = 0
        now = irfft(cells, n=frames.shape[1], axis=1)
        np.minimum(now, high, out=now)
        np.maximum(now, low, out=now)
    return np.asarray(now, dtype=np.float32)


class Rebuilding:
    """A stream whose cut samples are rebuilt, on a grid fixed to the sound's first frame; all else passes as it is.

    Parameters
    ----------
    parts : array, shape (n, 3)
        Channel, first frame, frame after the last, in frames of the input; apart from each other in every channel.
    """

    def __init__(self, parts: AnyArray, at: Context, position: int):
        self._size = frame_size(at.rate)
        self._hop = self._size // 4
        self._parts = [parts[parts[:, 0] == lane] for lane in range(at.channels)]
        self._begins = position // self._hop * self._hop - self._size + self._hop
        """Frame of the input where the next spectral frame begins."""
        self._held: Samples = np.zeros((position - self._begins, at.channels), np.float32)
        self._sums: Samples = np.zeros((self._size - self._hop, at.channels), np.float32)
        self._position = position

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        return self._give(max(0, (len(self._held) - self._size) // self._hop + 1), len(self._held))

    def flush(self) -> Samples:
        ends = len(self._held)
        count = -(-ends // self._hop)
        self._held = np.concatenate([self._held, np.zeros((count * self._hop + self._size - self._hop - ends, self._held.shape[1]), np.float32)])
        return self._give(count, ends)

    def _give(self, count: int, ends: int) -> Samples:
        """What ``count`` frames complete, no further than the held frame ``ends``."""
        if not count:
            return self._held[:0]
        length = count * self._hop
        span = length + self._size - self._hop
        out = self._held[: min(length, ends)].copy()
        sums = np.concatenate([self._sums, np.zeros((length, self._sums.shape[1]), np.float32)])
        for lane in range(out.shape[1]):
            cut = self._cut(lane, span)
            if not cut.any():
                continue
            self._rebuild(lane, cut, count, sums[:, lane])
            here = cut[: len(out)]
            out[here, lane] = sums[: len(out)][here, lane]
        self._sums, self._held = sums[length:], self._held[length:]
        early = max(0, self._position - self._begins)
        self._begins += length
        return out[early:]

    def _cut(self, lane: int, span: int) -> AnyArray:
        """Which of the next ``span`` held samples of a channel were cut off."""
        parts = self._parts[lane]
        near = parts[np.searchsorted(parts[:, 2], self._begins, "right") : np.searchsorted(parts[:, 1], self._begins + span)]
        edges = np.zeros(span + 1, np.int8)
        edges[np.maximum(near[:, 1] - self._begins, 0)] += 1
        edges[np.minimum(near[:, 2] - self._begins, span)] -= 1
        return np.cumsum(edges[:-1]).astype(bool)

    def _rebuild(self, lane: int, cut: AnyArray, count: int, sums: Samples) -> None:
        """Add to ``sums`` what the frames with cut samples say."""
        shape = window(self._size)
        views = np.lib.stride_tricks.sliding_window_view
        frames, masks = (views(values[: len(cut)], self._size)[:: self._hop] for values in (self._held[:, lane], cut))
        hit = np.flatnonzero(masks[:count].any(axis=1))
        for first in range(0, len(hit), AT_ONCE):
            some = hit[first : first + AT_ONCE]
            for place, frame in zip(some, settle(frames[some] * shape, masks[some]), strict=True):
                # four squares of the window sum to two
                sums[place * self._hop : place * self._hop + self._size] += frame * shape / 2
