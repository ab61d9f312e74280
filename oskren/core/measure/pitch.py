"""Fundamental frequency with confidence."""

from __future__ import annotations

import numpy as np

from oskren.core.types import Floats, Samples

LOWEST_HZ = 30.0
HIGHEST_HZ = 4000.0
THRESHOLD = 0.15


def _difference(frame: Floats, window: int, longest: int) -> Floats:
    """YIN's difference function for lags 0..longest, by FFT."""
    size = 1 << int(np.ceil(np.log2(window + longest + 1 + window)))
    spectrum = np.fft.rfft(frame[: window + longest], size)
    head = np.fft.rfft(frame[:window], size)
    correlation = np.fft.irfft(spectrum * np.conj(head), size)[: longest + 1]
    energy = np.concatenate([[0.0], np.cumsum(frame[: window + longest] ** 2)])
    moving = energy[window : window + longest + 1] - energy[: longest + 1]
    return np.asarray(moving[0] + moving - 2 * correlation)


def yin(frame: Floats, rate: int) -> tuple[float, float] | None:
    """Fundamental (Hz) of one frame and its aperiodicity 0..1 (0 = perfectly periodic), or None.

    Source: de Cheveigné and Kawahara, "YIN, a fundamental frequency estimator", JASA 111, 2002, steps 1 to 5.
    """
    longest = min(int(rate / LOWEST_HZ), len(frame) // 2)
    shortest = max(2, int(rate / HIGHEST_HZ))
    if longest <= shortest + 2:
        return None
    difference = _difference(frame, len(frame) - longest, longest)
    cumulative = np.cumsum(difference[1:])
    if cumulative[-1] <= 1e-12:
        return None
    normal = np.ones(longest + 1)
    normal[1:] = difference[1:] * np.arange(1, longest + 1) / np.maximum(cumulative, 1e-20)
    under = np.flatnonzero(normal[shortest:longest] < THRESHOLD)
    if len(under):
        lag = shortest + int(under[0])
        while lag + 1 < longest and normal[lag + 1] < normal[lag]:
            lag += 1
    else:
        lag = shortest + int(np.argmin(normal[shortest:longest]))
    left, here, right = difference[lag - 1], difference[lag], difference[min(lag + 1, longest)]
    curve = left - 2 * here + right
    offset = 0.5 * (left - right) / curve if curve > 0 else 0.0
    return rate / (lag + float(np.clip(offset, -1, 1))), float(np.clip(normal[lag], 0, 1))


def fundamental(mono: Samples, rate: int, frames: int = 9) -> tuple[float | None, float | None]:
    """Fundamental (Hz) and confidence 0..1 of a sound of shape (n,), from its loudest frames.

    Rates above 50 kHz are halved first by averaging pairs, which is enough below 4 kHz.

    Parameters
    ----------
    mono : array, shape (n,)
    rate : int
        Sample rate in Hz.
    frames : int
        How many of its loudest frames are looked at.

    Returns
    -------
    hz : float or None
        None when nothing in it has a pitch.
    confidence : float or None
        0 to 1.

    Examples
    --------
    >>> import numpy as np
    >>> hz, sure = fundamental(np.sin(2 * np.pi * 220 * np.arange(48_000) / 48_000).astype(np.float32), 48_000)
    >>> round(hz), sure > 0.9
    (220, True)
    """
    while rate > 50_000:
        even = len(mono) // 2 * 2
        mono, rate = (mono[0:even:2] + mono[1:even:2]) * np.float32(0.5), rate // 2
    size = int(rate * 0.085)
    if len(mono) < size // 2:
        return None, None
    hop = max(1, size // 2)
    starts = np.arange(0, max(1, len(mono) - size + 1), hop)
    energy = np.array([float(np.dot(mono[s : s + size], mono[s : s + size])) for s in starts])
    if energy.max() <= 1e-10:
        return None, None
    found = []
    for at in starts[np.argsort(energy)[::-1][:frames]]:
        result = yin(mono[at : at + size].astype(np.float64), rate)
        if result is not None:
            found.append(result)
    if not found:
        return None, None
    pitches = np.array([p for p, _ in found])
    sure = np.array([1 - a for _, a in found])
    best = float(np.exp(np.average(np.log(pitches), weights=sure**4 + 1e-9)))
    middle = float(np.median(pitches))
    agreeing = np.abs(np.log2(pitches / middle)) < 1 / 12
    if agreeing.mean() > 0.5:
        best = float(np.exp(np.average(np.log(pitches[agreeing]), weights=sure[agreeing] ** 4 + 1e-9)))
    return best, float(sure.mean() * agreeing.mean())
