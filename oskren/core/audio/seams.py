"""Seams: sounds joined by a crossfade whose law follows how alike both sides are."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.types import Floats, Samples

AGAINST = -0.8
"""Sounds that go against each other by more than this are not raised any further where they cross."""

SEEK_S = 0.008
"""A seam moves by at most so much, to where both sides of its crossfade go together."""


def joined(one: Samples, other: Samples, fade: int) -> Samples:
    """Two sounds one after the other, the end of the first crossfaded with the beginning of the second, over ``fade`` frames, without a step in level.

    Cosine and sine keep the power of sounds that differ, raise that of sounds that are alike (at a mirror both are the same sound) by up
    to 3 dB and lower that of sounds that go against each other; so both are divided by what their measured correlation r adds:
    sqrt(a² + b² + 2 a b r), r not below ``AGAINST``.
    """
    fade = min(fade, len(one), len(other))
    if fade < 1:
        return np.concatenate([one, other])
    out, into = one[len(one) - fade :].astype(np.float64), other[:fade].astype(np.float64)
    size = math.sqrt(float(np.sum(out**2)) * float(np.sum(into**2)))
    alike = max(AGAINST, float(np.sum(out * into)) / size) if size > 0 else 0.0
    way = (np.arange(fade) + 0.5) / fade * (math.pi / 2)
    a, b = np.cos(way)[:, None], np.sin(way)[:, None]
    middle = (out * a + into * b) / np.sqrt(a * a + b * b + 2 * a * b * alike)
    return np.concatenate([one[: len(one) - fade], middle.astype(np.float32), other[fade:]])


def looped(samples: Samples, first: int, last: int, fade: int, frames: int, rate: int) -> Samples:
    """A part of a sound over and over, each time crossfaded into itself.

    The end of the part moves by at most ``SEEK_S`` to where what fades out and what fades in are most alike (normalised
    correlation, the nearest of the best), so that a tone goes on in phase.

    Parameters
    ----------
    samples : array, shape (frames, channels)
    first, last : int
        The part: its first frame and the one after its last.
    fade : int
        Frames of the crossfade; at most half of the part is used.
    frames : int
        How many frames come out.
    rate : int
        Hz.

    Returns
    -------
    array, shape (frames, channels)
    """
    fade = min(fade, (last - first) // 2)
    if fade >= 2:
        last += _seam(samples, first, last, fade, min(round(SEEK_S * rate), (last - first) // 4))
    body = samples[first:last]
    once = len(body) - fade
    # body, seam, body, seam ...: what lies between two seams is the same every time
    around = joined(body, body, fade)[once : 2 * once] if fade else body
    times = max(0, -(-(frames - once) // max(1, once)))
    return np.ascontiguousarray(np.concatenate([body[:once], *[around] * times])[:frames], np.float32)


def _seam(samples: Samples, first: int, last: int, fade: int, furthest: int) -> int:
    """By how many frames the end of a loop moves."""
    into = samples[first : first + fade]
    low, high = max(last - furthest, first + 2 * fade), min(last + furthest, len(samples))
    if high <= low or not into.any():
        return 0
    moves = np.arange(low, high + 1) - last
    return int(moves[np.argmax(agreement(samples[low - fade : high], into) - 1e-6 * np.abs(moves))])


def agreement(around: Samples, part: Samples) -> Floats:
    """Normalised correlation (-1 to 1) of a part with every place of what lies around: shape (len(around) - len(part) + 1,).

    By Fourier transform, over the energy at each place by running sums.
    """
    size, count = len(around) - len(part) + 1, len(part)
    around, part = around.astype(np.float64), part.astype(np.float64)
    span = 1 << (len(around) + count - 2).bit_length()
    both = np.fft.irfft((np.fft.rfft(around, span, axis=0) * np.conj(np.fft.rfft(part, span, axis=0))).sum(axis=1), span)[:size]
    energy = np.concatenate([[0.0], np.cumsum((around**2).sum(axis=1))])
    here = np.maximum(energy[count:] - energy[:-count], 1e-20)
    return np.asarray(both / np.sqrt(here * max(float((part**2).sum()), 1e-20)))
