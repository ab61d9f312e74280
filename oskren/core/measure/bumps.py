"""Bumps: short bursts in the lows, from handling, footfall or a gust, that do not belong to what is recorded."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from oskren.core.measure import prediction
from oskren.core.measure.runs import runs_of
from oskren.core.types import Floats

LOW_RATE = 2000
"""Rate (Hz) the lows are looked at and repaired at."""

HOP = 20
"""Samples of the lows in a frame: 10 ms."""

AROUND_S = 3.0

ALIKE, ALIKE_OTHERS = 0.95, 2
HEARD, LAG = (LOW_RATE // 50, LOW_RATE // 10), LOW_RATE // 50
"""What comes again with a waveform so alike so many times is the sound's own; compared are 20 ms before and 100 ms after its top, 20 ms about."""

SHORTEST_S = 0.02


@dataclass(frozen=True)
class Bump:
    """A burst: first moment and the one after its end (s), and how far it stands over the lows around it (dB)."""

    start_s: float
    end_s: float
    height_db: float


def _down(samples: Floats, rate: int) -> Floats:
    from scipy.signal import resample_poly

    return np.asarray(resample_poly(samples, LOW_RATE, rate) if rate != LOW_RATE else samples, dtype=np.float64)


def _below(down: Floats, cutoff_hz: float) -> Floats:
    """What of a sound at ``LOW_RATE`` lies below a frequency; linear phase, aligned."""
    from scipy.signal import firwin

    return np.convolve(down, firwin(501, cutoff_hz, fs=LOW_RATE))[250 : 250 + len(down)]


def lows(samples: Floats, rate: int, cutoff_hz: float) -> Floats:
    """What lies below a frequency, at ``LOW_RATE``; aligned to the input."""
    return _below(_down(samples, rate), cutoff_hz)


def find_bumps(samples: Floats, rate: int, threshold_db: float = 12.0, cutoff_hz: float = 120.0, longest_s: float = 0.8) -> list[Bump]:
    """Bursts of one channel: where the lows rise clear of what they are within 3 s, and the highs do not rise with them.

    Parameters
    ----------
    threshold_db : float
        How far the lows (level of 10 ms) must stand over their median.

    Something that was struck is heard higher up too (above three times the cut-off); it is left when that rises by half as many dB.
    So is what comes again with the same waveform, and what is quieter than the rest of the sound.
    """
    from scipy.ndimage import median_filter, uniform_filter1d

    down = _down(samples, rate)
    low, rest = _below(down, cutoff_hz), down - _below(down, min(3 * cutoff_hz, 0.4 * LOW_RATE))
    count = len(low) // HOP
    if count < 5:
        return []
    level, high = (
        10 * np.log10(uniform_filter1d(np.square(one[: count * HOP]).reshape(count, HOP).mean(axis=1), 3, mode="nearest") + 1e-12) for one in (low, rest)
    )
    span = min(count, round(AROUND_S * LOW_RATE / HOP)) | 1
    usual, usual_high = (median_filter(one, span, mode="nearest") for one in (level, high))
    over = level - usual
    rises: list[tuple[int, int, float, bool]] = []
    tops: list[int] = []
    firsts, lasts = runs_of(over > threshold_db / 2)
    for first, last in zip(firsts.tolist(), lasts.tolist(), strict=True):
        height = float(over[first:last].max())
        seconds = (last - first) * HOP / LOW_RATE
        if height < threshold_db or not SHORTEST_S <= seconds <= longest_s:
            continue
        top = first + int(np.argmax(level[first:last]))
        struck = float((high - usual_high)[first:last].max()) > height / 2
        heard = level[top] > high[max(0, top - 3) : top + 4].max()
        rises.append((first, last, height, heard and not struck))
        tops.append(top * HOP)
    own = _repeated(low, tops)
    return [
        Bump(max(0, first - 1) * HOP / LOW_RATE, min(count, last + 1) * HOP / LOW_RATE, height)
        for (first, last, height, bump), repeats in zip(rises, own, strict=True)
        if bump and not repeats
    ]


def _repeated(low: Floats, tops: list[int]) -> list[bool]:
    """Around which tops the lows have the same waveform as around some others: a drum comes again, a bump never does."""
    before, after = HEARD
    told = []
    for top in tops:
        one = low[max(0, top - before) : top + after]
        alike = 0
        for other in tops:
            if other != top and alike < ALIKE_OTHERS:
                alike += _likeness(one, low[max(0, other - before - LAG) : other + after + LAG]) > ALIKE
        told.append(alike >= ALIKE_OTHERS)
    return told


def _likeness(one: Floats, other: Floats) -> float:
    """Highest normalised correlation of a waveform with one that may lie a little earlier or later."""
    if len(other) < len(one):
        return 0.0
    agree = np.correlate(other, one, "valid")
    power = np.convolve(np.square(other), np.ones(len(one)), "valid")
    return float((agree / np.sqrt(np.maximum(power, 1e-20) * float(np.sum(np.square(one)) + 1e-20))).max())


def filled_lows(samples: Floats, rate: int, bump: Bump, cutoff_hz: float) -> Floats:
    """What must be added to the lows (at ``LOW_RATE``, from the bump's start to its end) so that they go on as around it.

    The gap is filled by linear prediction from a second on either side (Janssen, Veldhuis, Vries 1986).
    """
    context = LOW_RATE
    first, last = round(bump.start_s * LOW_RATE), round(bump.end_s * LOW_RATE)
    begin, end = max(0, first - context), last + context
    ratio = rate / LOW_RATE
    margin = 600  # for the filter's own edges
    a, b = max(0, begin - margin), end + margin
    low = lows(samples[round(a * ratio) : round(b * ratio)], rate, cutoff_hz)[begin - a :][: end - begin]
    missing = np.zeros(len(low), bool)
    missing[first - begin : last - begin] = True
    if missing.all() or not missing.any():
        return np.zeros(max(0, last - first))
    change = (prediction.fill(low, missing, order=60) - low)[missing]
    edge = min(HOP, len(change) // 2)
    fade = np.sin(np.linspace(0, np.pi / 2, edge, endpoint=False) + np.pi / 4 / max(1, edge)) ** 2
    change[:edge] *= fade
    change[len(change) - edge :] *= fade[::-1]
    return np.asarray(change)
