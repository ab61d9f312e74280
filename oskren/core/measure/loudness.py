"""Loudness after ITU-R BS.1770-5 and EBU Tech 3342."""

from __future__ import annotations

import functools
import math
from dataclasses import dataclass

import numpy as np

from oskren.core.audio.layouts import AZIMUTHS, CHANNELS, layout_of
from oskren.core.types import Floats, Samples

GATE_S = 0.400
STEP_S = 0.100
SHORT_TERM_S = 3.0
ABSOLUTE_GATE = -70.0
SHORT_S = SHORT_TERM_S
"""The loudness of a sound shorter than this is taken by its momentary maximum: integrated loudness is for programmes (EBU Tech 3341)."""


@functools.lru_cache(maxsize=16)
def k_weighting(rate: int) -> Floats:
    """K-weighting as two second-order sections, redesigned for any rate; shape (2, 6).

    The analogue prototypes behind the 48 kHz coefficients of BS.1770 are transformed bilinearly; at 48 kHz the result
    is the table of the recommendation.
    """
    k = math.tan(math.pi * 1681.974450955533 / rate)
    q = 0.7071752369554196
    high = 10 ** (3.999843853973347 / 20)
    band = high**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [(high + band * k / q + k * k) / a0, 2 * (k * k - high) / a0, (high - band * k / q + k * k) / a0, 1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    k = math.tan(math.pi * 38.13547087602444 / rate)
    q = 0.5003270373238773
    a0 = 1 + k / q + k * k
    low = [1, -2, 1, 1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, low])


@functools.lru_cache(maxsize=4)
def _ringing(rate: int) -> Floats:
    """What the K-weighting rings on for 400 ms from each of its four values of state, shape (frames, 4)."""
    from scipy.signal import sosfilt

    silence = np.zeros((round(rate * STEP_S) * round(GATE_S / STEP_S), 4))
    return np.asarray(sosfilt(k_weighting(rate), silence, axis=0, zi=np.eye(4).reshape(2, 2, 4))[0])


def channel_weights(layout: str, channels: int) -> Floats:
    """1.41 for what stands between 60 and 120 degrees to a side, 1.0 for all else, LFE left out (ITU-R BS.1770-5, table 4)."""
    labels = CHANNELS.get(layout, ())
    if len(labels) != channels:
        return np.ones(channels)
    place = AZIMUTHS.get(layout, {})
    return np.array([0.0 if label == "LFE" else 1.41 if 60 <= abs(place.get(label, 0.0)) <= 120 else 1.0 for label in labels])


class Powers:
    """Collects the weighted power of a sound in steps of 100 ms, block by block.

    ``add`` blocks of shape (frames, channels) in order; ``steps`` then holds the mean squares of whole steps.
    """

    def __init__(self, rate: int, channels: int, layout: str | None = None):
        self.step, self._rate = round(rate * STEP_S), rate
        self._sections = k_weighting(rate)
        self._state = np.zeros((2, 2, channels))
        self._weights = channel_weights(layout or layout_of(channels), channels)
        self._left: Floats = np.zeros(0)
        self._parts: list[Floats] = []

    def add(self, block: Samples) -> None:
        from scipy.signal import sosfilt

        weighted, self._state = sosfilt(self._sections, block.astype(np.float64), axis=0, zi=self._state)
        self._took(weighted)

    def _took(self, weighted: Floats) -> None:
        power = np.concatenate([self._left, np.einsum("ij,ij,j->i", weighted, weighted, self._weights)])
        whole = len(power) // self.step
        if whole:
            self._parts.append(power[: whole * self.step].reshape(whole, self.step).mean(axis=1))
        self._left = power[whole * self.step :]

    def fill_up(self, frames: int) -> None:
        """Add silence after the end, at most 400 ms of it; nothing follows. What rings on in the filter is found from its state at once."""
        self._took(_ringing(self._rate)[:frames] @ self._state.reshape(4, -1))

    def steps(self) -> Floats:
        return np.concatenate(self._parts) if self._parts else np.zeros(0)


@dataclass(frozen=True)
class Loudness:
    """Loudness of a sound; None where it cannot be had. ``padded`` marks a sound shorter than 400 ms."""

    integrated_lufs: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    range_lu: float | None
    padded: bool


def _lufs(power: Floats) -> Floats:
    return -0.691 + 10 * np.log10(np.maximum(power, 1e-20))


def _windows(steps: Floats, seconds: float) -> Floats:
    """Sliding mean over windows of ``seconds``, one every 100 ms."""
    size = round(seconds / STEP_S)
    if len(steps) < size:
        return np.zeros(0)
    total = np.concatenate([[0.0], np.cumsum(steps)])
    return np.asarray(np.maximum(total[size:] - total[:-size], 0.0) / size)


def summarise(steps: Floats, padded: bool = False) -> Loudness:
    """Gated loudness, maxima and range from the powers of 100 ms steps.

    Sources: ITU-R BS.1770-5 (gates at -70 LUFS and -10 LU), EBU Tech 3342 (range: gates -70 LUFS and -20 LU, 10th to 95th percentile).
    """
    blocks = _windows(steps, GATE_S)
    short = _windows(steps, SHORT_TERM_S)

    def value(power: Floats) -> float | None:
        return None if not len(power) or power.max() <= 1e-12 else float(_lufs(power.max(keepdims=True))[0])

    integrated: float | None = None
    over = blocks[_lufs(blocks) > ABSOLUTE_GATE]
    if len(over):
        relative = float(_lufs(over.mean(keepdims=True))[0]) - 10
        kept = over[_lufs(over) > relative]
        integrated = float(_lufs(kept.mean(keepdims=True))[0])
    range_lu: float | None = None
    over = short[_lufs(short) > ABSOLUTE_GATE]
    if len(over) > 1:
        levels = _lufs(over)
        levels = levels[levels > float(_lufs(over.mean(keepdims=True))[0]) - 20]
        low, high = np.percentile(levels, [10, 95])
        range_lu = float(high - low)
    return Loudness(integrated, value(blocks), value(short), range_lu, padded)


def loudness(samples: Samples, rate: int, layout: str | None = None) -> Loudness:
    """Measure samples of shape (frames, channels).

    A sound shorter than 400 ms has no gated loudness; it is measured padded with silence to 400 ms and marked.

    Parameters
    ----------
    samples : array, shape (frames, channels)
        Amplitudes, 1.0 at full scale.
    rate : int
        Sample rate in Hz.
    layout : str, optional
        The layout of the channels, for their weights; the usual one of so many when left out.

    Returns
    -------
    Loudness
        Integrated, momentary and short-term maximum (LUFS), range (LU); None where there is none.

    Source: ITU-R BS.1770-5; EBU Tech 3341 and 3342.

    Examples
    --------
    A tone of 997 Hz at full scale on one channel reads -3.01 LUFS (BS.1770-5, annex 1):

    >>> import numpy as np
    >>> tone = np.sin(2 * np.pi * 997 * np.arange(96_000) / 48_000).astype(np.float32)[:, None]
    >>> round(loudness(tone, 48_000).integrated_lufs, 1)
    -3.0
    """
    powers = Powers(rate, samples.shape[1], layout)
    need = powers.step * round(GATE_S / STEP_S)
    padded = len(samples) < need
    powers.add(samples)
    if padded:
        powers.fill_up(need - len(samples))
    return summarise(powers.steps(), padded)
