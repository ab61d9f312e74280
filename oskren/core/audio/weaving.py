"""Beds that go on without repeating: stretches of a sound in an order that is drawn, joined where the sound is alike."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.audio.seams import SEEK_S, agreement, joined
from oskren.core.types import Floats, Samples

LEAST = 0.3
"""Share of the sound that is heard in one go, at least."""

WINDOW_S = 0.04
BANDS = 24

MOST_PLACES = 4000
"""Moments that are looked at: half a window apart, and so many of them at most."""

LOUDER = 4.0
"""Weight of the level beside that of one band."""

NEARLY = 1.5
"""Moments that are not less like the one that is left than the best by this factor are drawn from."""

TRIED = 6
"""So many are drawn; that of them is taken where both sides correlate most."""

STALE = 2.0
"""A moment near one a stretch began at lately counts as so much less like (dB)."""

RECENT = 4
"""How many stretches are lately."""


def woven(samples: Samples, fade: int, frames: int, rate: int, seed: int) -> Samples:
    """A sound that goes on for as long as wanted: stretches of it in an order that is drawn, crossfaded where they are most alike.

    The first stretch begins as the sound does. Each is at least ``LEAST`` of the sound long, and the next begins at one of the moments
    whose levels in bands are nearest to those where the last one ends, moved by at most ``SEEK_S`` to where both correlate most, so that
    a tone goes on in phase. More frames go on after fewer: they never change what comes before.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    fade : int
        Frames of the crossfades; at most an eighth of the sound is used.
    frames : int
        How many frames come out.
    rate : int
        Hz.
    seed : int
        Another seed draws another order.

    Returns
    -------
    array, shape (frames, channels)

    Examples
    --------
    >>> noise = np.random.default_rng(1).normal(size=(8000, 1)).astype(np.float32)
    >>> short, long = woven(noise, 400, 20000, 8000, seed=3), woven(noise, 400, 30000, 8000, seed=3)
    >>> len(long), bool((short == long[:20000]).all())
    (30000, True)
    """
    total = len(samples)
    fade = min(fade, total // 8)
    if fade < 2:
        return np.ascontiguousarray(np.concatenate([samples] * (1 + frames // max(1, total)))[:frames], np.float32)
    parts: list[Samples] = []
    have, last = 0, None
    for first, end in _stretches(samples, fade, rate, seed):
        piece = samples[first:end]
        if last is not None:
            # exactly as long as the crossfade: nothing but the seam comes back
            piece = np.concatenate([joined(last, piece[:fade], fade), piece[fade:]])
        last = piece[len(piece) - fade :]
        parts.append(piece[: len(piece) - fade])
        have += len(piece) - fade
        if have >= frames:
            break
    return np.ascontiguousarray(np.concatenate(parts)[:frames], np.float32)


def _stretches(samples: Samples, fade: int, rate: int, seed: int) -> Iterator[tuple[int, int]]:
    """First frames of stretches, and the ones after their last, for ever; each crosses the next over ``fade`` frames."""
    random = np.random.Generator(np.random.PCG64(seed))
    total = len(samples)
    least = max(round(LEAST * total), 3 * fade)
    near, apart, latest = max(1, round(SEEK_S * rate)), least // 3, total - least
    size = max(16, min(round(WINDOW_S * rate), fade))
    hop = max(size // 2, total // MOST_PLACES)
    # by the power of all channels: what is left against right is heard too
    heard = _heard(np.sum([_bands(samples[:, channel], size, hop) for channel in range(samples.shape[1])], axis=0), hop, fade)
    places = hop * np.arange(min(len(heard), latest // hop + 1))
    recent: list[int] = []
    first = 0
    while True:
        recent = [*recent[-RECENT + 1 :], first]
        end = int(random.integers(first + least, total + 1))
        yield first, end
        leaving = heard[min(len(heard) - 1, round((end - fade) / hop))]
        unlike = np.sqrt(np.square(heard[: len(places)] - leaving).mean(axis=1))
        for one in recent:
            unlike[np.abs(places - one) < apart] += STALE
        # to go on where it left is no other stretch
        unlike[np.abs(places - (end - fade)) < apart] += 10 * STALE
        best = np.flatnonzero(unlike <= float(unlike.min()) * NEARLY)
        drawn = random.choice(best, min(TRIED, len(best)), replace=False)
        first = max(_in_step(samples, place, end - fade, fade, near, latest) for place in places[drawn].tolist())[1]


def _bands(mono: Samples, size: int, hop: int) -> Floats:
    """Power in bands of equal ratio around every hop: shape (moments, bands)."""
    window = np.hanning(size)
    begins = np.arange(0, max(1, len(mono) - size), hop)
    edges = np.unique(np.round(np.geomspace(1, size // 2, BANDS + 1)).astype(int))
    power = []
    for some in np.array_split(begins, max(1, len(begins) // 64)):
        spectra = np.fft.rfft(mono[np.minimum(some[:, None] + np.arange(size), len(mono) - 1)] * window, axis=1)
        power.append(np.add.reduceat(np.square(np.abs(spectra)), edges[:-1], axis=1))
    return np.concatenate(power)


def _heard(bands: Floats, hop: int, fade: int) -> Floats:
    """How a crossfade would be heard that begins at every hop: levels (dB) of its halves in bands and as a whole, shape (moments, values)."""
    summed = np.concatenate([np.zeros((1, bands.shape[1])), np.cumsum(bands, axis=0)])
    half = max(1, round(fade / 2 / hop))
    at = np.arange(len(bands))
    found = []
    for begin in (at, at + half):
        low, high = np.minimum(begin, len(bands) - 1), np.minimum(begin + half, len(bands))
        mean = (summed[high] - summed[low]) / (high - low)[:, None]
        # one step in level is heard more than one of the colour
        found += [10 * np.log10(mean + 1e-9), LOUDER * 10 * np.log10(mean.sum(axis=1, keepdims=True) + 1e-9)]
    return np.concatenate(found, axis=1)


def _in_step(samples: Samples, first: int, leaving: int, fade: int, near: int, latest: int) -> tuple[float, int]:
    """The frame near a stretch's first from which it goes on most like what is left from ``leaving`` on, after how alike both are."""
    low, high = max(0, first - near), min(latest, first + near)
    alike = agreement(samples[low : high + fade], samples[leaving : leaving + fade])
    best = int(np.argmax(alike - 1e-6 * np.abs(np.arange(len(alike)) + low - first)))
    return float(alike[best]), low + best
