"""How far a sound stands over its floor, band by band, and how strongly something new begins: what slices are found in.

Everything is measured once, in one pass over the sound; no setting of a person goes into it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.measure.runs import runs_of
from oskren.core.types import AnyArray, Samples

RATE = 24_000.0
"""Neighbouring samples are averaged down to about this rate (Hz); what folds over does no harm to levels of wide bands."""

WINDOW_S, HOP_S = 0.010, 0.004
LOWEST_HZ, BANDS = 100.0, 18
AT_A_TIME = 1024

SMOOTH_S, CELL_S, LOOK_S, CALM_S = 0.048, 0.1, 5.0, 2.5
"""The floor: the least of smoothed power in cells, then around each cell, then evened out."""

LONG_S, RAISED_DB, SAME_DB, EVENT_DB, EVENTS = 1200.0, 10.0, 3.0, 10.0, 2
"""A floor that stands so far over the least of a long while is one only if events stand over it in their turn; else it is a long sound."""

SILENT = 1e-11
"""Power of a band below which there is nothing: white noise of 24 bit lies there."""


@dataclass(frozen=True)
class Standing:
    """Tracks with one value for every hop of about 4 ms.

    slow is the level over the floor (dB), mean of bands over 32 ms; fast the same over 12 ms, where a narrow sound counts as a wide one;
    strength how much the strongest bands rise over what lay before (dB). floor_db is the floor of all bands together (dBFS), a value for every 0.1 s.
    """

    hop_s: float
    slow: Samples
    fast: Samples
    strength: Samples
    floor_db: Samples


class Measured:
    """Powers of bands of a sound given in blocks of shape (frames, channels)."""

    def __init__(self, rate: int) -> None:
        self.part = max(1, round(rate / RATE))
        self.rate = rate / self.part
        self.hop = max(1, round(self.rate * HOP_S))
        self.size = max(4, round(self.rate * WINDOW_S))
        self.span = 1 << (self.size - 1).bit_length()
        self.hop_s = self.hop / self.rate
        self.window = np.hanning(self.size + 2)[1:-1].astype(np.float32)
        self.window /= np.float32(np.sqrt(np.sum(self.window.astype(np.float64) ** 2) * self.span))
        top = min(18_000.0, 0.49 * self.rate)
        bins = np.geomspace(min(LOWEST_HZ, top / 2), top, BANDS + 1) * self.span / self.rate
        self.edges = np.unique(np.maximum(1, np.round(bins)).astype(np.int64))
        self.rest: Samples | None = None
        self.kept: list[Samples] = []
        self.waiting: AnyArray | None = None

    def push(self, block: Samples) -> None:
        joined = block if self.rest is None or not len(self.rest) else np.concatenate([self.rest, block])
        whole = len(joined) // self.part
        self.rest = joined[whole * self.part :].copy()
        if not whole:
            return
        from oskren.core.slice.kernels import averaged

        # an even number of channels, so that two make one complex one
        less = np.zeros((whole, joined.shape[1] + joined.shape[1] % 2), np.float32)
        averaged(np.ascontiguousarray(joined, np.float32), self.part, less)
        pairs = less.view(np.complex64)
        self.waiting = pairs if self.waiting is None or not len(self.waiting) else np.concatenate([self.waiting, pairs])
        self._through(last=False)

    def _through(self, *, last: bool) -> None:
        from scipy.fft import fft

        from oskren.core.slice.kernels import add_bands

        assert self.waiting is not None
        held = np.concatenate([self.waiting, np.zeros((self.size, self.waiting.shape[1]), np.complex64)]) if last else self.waiting
        count = max(0, (len(held) - self.size) // self.hop + 1)
        for first in range(0, count, AT_A_TIME):
            many = min(AT_A_TIME, count - first)
            bands = np.zeros((many, len(self.edges) - 1), np.float32)
            for pair in held.T:
                part = np.ascontiguousarray(pair[first * self.hop : (first + many - 1) * self.hop + self.size])
                frames = np.lib.stride_tricks.sliding_window_view(part, self.size)[:: self.hop]
                padded = np.zeros((many, self.span), np.complex64)
                np.multiply(frames, self.window, out=padded[:, : self.size])
                # what is left + i right at a frequency and at its negative holds the power of both
                add_bands(fft(padded, axis=1, overwrite_x=True), self.edges, bands)
            self.kept.append(bands)
        self.waiting = held[count * self.hop :].copy()

    def powers(self) -> Samples:
        """Shape (hops, bands)."""
        if self.waiting is not None:
            self._through(last=True)
        return np.concatenate(self.kept) if self.kept else np.zeros((0, len(self.edges) - 1), np.float32)


def _floors(powers: Samples, hop_s: float) -> Samples:
    """The floor of every band in every cell of 0.1 s: shape (cells, bands)."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d

    smooth = uniform_filter1d(powers, max(1, round(SMOOTH_S / hop_s)), axis=0, mode="nearest")
    cell = max(1, round(CELL_S / hop_s))
    least = np.minimum.reduceat(smooth, np.arange(0, len(smooth), cell), axis=0)
    least = np.maximum(least, SILENT)
    # the higher of the least before and the least after: where the floor jumps, it is known at once
    size = 2 * round(LOOK_S / CELL_S / 2) + 1
    after, before = (minimum_filter1d(least, size, axis=0, mode="nearest", origin=side * (size // 2)) for side in (-1, 1))
    least = np.maximum(before, after)
    floor = np.exp(uniform_filter1d(np.log(least), round(CALM_S / CELL_S), axis=0, mode="nearest"))
    most = np.maximum.reduceat(smooth, np.arange(0, len(smooth), cell), axis=0)
    for band in range(floor.shape[1]):
        _lower_long_sounds(floor[:, band], least[:, band], most[:, band])
    over = smooth[::5] / floor[np.minimum(np.arange(0, len(smooth), 5) // cell, len(floor) - 1)]
    bias = [np.median(band[band < 4]) if (band < 4).any() else 1.0 for band in over.T]
    return np.asarray(floor * np.clip(bias, 1.0, 2.5), np.float32)


def _lower_long_sounds(floor: Samples, least: Samples, most: Samples) -> None:
    """Where the floor of a band rose with a sound that lasts, take it back, in place; least is the floor before it was evened out."""
    from scipy.ndimage import minimum_filter1d

    lowest = minimum_filter1d(floor, round(LONG_S / CELL_S) + 1, mode="nearest")
    for first, last in zip(*runs_of(floor > lowest * 10 ** (SAME_DB / 10)), strict=True):
        part = slice(first, last)
        risen = least[part] > lowest[part] * 10 ** (RAISED_DB / 10)
        if risen.any() and len(runs_of(risen & (most[part] > least[part] * 10 ** (EVENT_DB / 10)))[0]) < EVENTS:
            floor[part] = lowest[part]


def standing(powers: Samples, hop_s: float) -> Standing:
    """Tracks of powers of bands (hops, bands)."""
    from scipy.ndimage import maximum_filter1d, uniform_filter1d

    if not len(powers):
        none = np.zeros(0, np.float32)
        return Standing(hop_s, none, none, none, none)
    floors = _floors(powers, hop_s)
    cell = max(1, round(CELL_S / hop_s))
    place = (np.arange(len(powers)) + 0.5) / cell - 0.5
    low = np.clip(np.floor(place).astype(int), 0, len(floors) - 1)
    high = np.minimum(low + 1, len(floors) - 1)
    share = np.clip(place - low, 0, 1)[:, None].astype(np.float32)
    over = powers / (floors[low] * (1 - share) + floors[high] * share)
    mean = over.mean(axis=1)
    slow = uniform_filter1d(mean, max(1, round(0.032 / hop_s)), mode="nearest")
    narrow = np.sqrt(np.square(uniform_filter1d(over, max(1, round(0.012 / hop_s)), axis=0, mode="nearest")).mean(axis=1))
    db = 10 * np.log10(over + np.float32(2.0))
    near, far = max(1, round(0.012 / hop_s)), max(2, round(0.056 / hop_s))
    reach = far - near + 1
    # the largest of the hops from ``far`` to ``near`` before each
    before = maximum_filter1d(db, reach, axis=0, mode="nearest", origin=(reach - 1) // 2)
    before = np.concatenate([np.repeat(before[:1], near, axis=0), before[:-near]])[: len(db)]
    after = db.copy()
    after[:-1] = 10 * np.log10((over[:-1] + over[1:]) / 2 + np.float32(2.0))
    rise = np.maximum(after - before, 0)
    strength = np.sqrt(np.sqrt((rise**4).mean(axis=1)))
    return Standing(
        hop_s,
        (10 * np.log10(slow + 1e-9)).astype(np.float32),
        (10 * np.log10(narrow + 1e-9)).astype(np.float32),
        strength.astype(np.float32),
        (10 * np.log10(floors.sum(axis=1) + 1e-12)).astype(np.float32),
    )
