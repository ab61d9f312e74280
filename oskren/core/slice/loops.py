"""Where a slice can repeat: the two moments whose surroundings are most alike, and how the end goes over into what lies before the start."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from oskren.core.audio.seams import agreement
from oskren.core.types import Floats, Samples

LEAST_S = 0.1
"""A shorter part is heard as a tone, not as a sound that goes on."""

FADE_S = 0.05
WINDOW_S = 0.04
MOST_FRAMES = 360
"""Moments that are compared with each other, at most."""

REFINED = 24
"""So many of the best pairs are looked at to the sample."""

BANDS = 24


class FoundLoop(NamedTuple):
    """A loop in frames: its start, the frame after its end, its crossfade, and how alike both sides are (-1 to 1)."""

    start: int
    end: int
    fade: int
    alike: float


def _spectra(mono: Floats, rate: int, places: Floats, size: int) -> Floats:
    """Levels (dB) of bands, an octave wide in ratio, around moments: shape (moments, BANDS)."""
    window = np.hanning(size)
    power = np.array([np.abs(np.fft.rfft(mono[at - size : at] * window)) ** 2 for at in places.tolist()])
    edges = np.unique(np.round(np.geomspace(1, power.shape[1] - 1, BANDS + 1)).astype(int))
    return np.asarray(10 * np.log10(np.add.reduceat(power, edges[:-1], axis=1) + 1e-9))


def best_loop(samples: Samples, rate: int, attack: int = 0) -> FoundLoop | None:
    """The best loop of a sound.

    Pairs of moments are compared by their spectra; the end of the best ones is then put where what fades out and what fades in go together
    most (normalised correlation). Long loops are preferred to short ones that are as good: they are heard as a repetition later.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    rate : int
        Hz.
    attack : int, optional
        The frame its attack lies at; the loop starts after that.

    Returns
    -------
    FoundLoop or None
        None where the sound is too short, or silent.

    Examples
    --------
    >>> rate = 8000
    >>> tone = np.sin(2 * np.pi * 200 * np.arange(2 * rate) / rate).astype(np.float32)[:, None]
    >>> loop = best_loop(tone, rate)
    >>> (loop.end - loop.start) % 40, loop.alike > 0.999
    (0, True)
    """
    size = max(16, round(WINDOW_S * rate))
    least, first, last = round(LEAST_S * rate), max(attack, 0) + 2 * size, len(samples)
    if last - first < least or not samples.any():
        return None
    mono = samples.mean(axis=1, dtype=np.float64)
    places = np.unique(np.linspace(first, last, min(MOST_FRAMES, max(2, (last - first) // max(1, size // 4)))).astype(int))
    spectra = _spectra(mono, rate, places, size)
    # mean difference of the bands (dB), less where the pair lies far apart
    differ = np.sqrt(((spectra[:, None, :] - spectra[None, :, :]) ** 2).mean(axis=2)) if len(places) <= MOST_FRAMES else np.zeros((0, 0))
    apart = places[None, :] - places[:, None]
    cost = np.where(apart >= least, differ - 1.5 * np.log2(np.maximum(apart, 1) / least), np.inf)
    order = np.argsort(cost, axis=None, kind="stable")[:REFINED]
    found: list[tuple[float, FoundLoop]] = []
    for start, end in zip(*np.unravel_index(order, cost.shape), strict=True):
        if np.isfinite(cost[start, end]):
            loop = _refined(samples, int(places[start]), int(places[end]), rate, size, first)
            found.append((loop.alike + 0.02 * math.log2((loop.end - loop.start) / least) - 0.02 * _step_db(mono, loop, size), loop))
    return max(found, key=lambda one: one[0])[1] if found else None


def _step_db(mono: Floats, loop: FoundLoop, size: int) -> float:
    """By how much the level steps where it repeats (dB)."""
    one, other = (float(np.square(mono[at - size : at]).mean()) + 1e-12 for at in (loop.start, loop.end))
    return abs(10 * math.log10(one / other))


def _refined(samples: Samples, start: int, end: int, rate: int, size: int, first: int) -> FoundLoop:
    """The same loop with its end moved to where both sides go together most, within a window's length."""
    fade = max(2, min(round(FADE_S * rate), (end - start) // 2, start))
    low, high = max(end - size, start + round(LEAST_S * rate), fade), min(end + size, len(samples))
    alike = agreement(samples[low - fade : high], samples[start - fade : start])
    at = int(np.argmax(alike - 1e-6 * np.abs(np.arange(low, low + len(alike)) - end)))
    return FoundLoop(start, low + at, fade, round(float(alike[at]), 4))
