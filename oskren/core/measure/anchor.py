"""Anchors: the moment of a sound that should land on a point in time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from oskren.core.types import Floats, Samples

Kind = Literal["hit", "top", "end", "start"]
HOP_S = 0.001
BED_S = 6.0


@dataclass(frozen=True)
class Anchor:
    """A moment (s from the sound's start) and what kind of moment it is."""

    seconds: float
    kind: Kind


def envelope(samples: Samples, rate: int) -> Floats:
    """RMS over channels in hops of 1 ms, shape (n,)."""
    hop = max(1, round(rate * HOP_S))
    whole = len(samples) // hop
    if whole == 0:
        return np.array([float(np.sqrt(np.mean(np.square(samples, dtype=np.float64))))]) if len(samples) else np.zeros(0)
    cut = samples[: whole * hop].reshape(whole, hop * samples.shape[1])
    return np.asarray(np.sqrt(np.einsum("ij,ij->i", cut, cut) / cut.shape[1]), dtype=np.float64)


def _smooth(values: Floats, size: int) -> Floats:
    from scipy.ndimage import uniform_filter1d

    # a running sum may end a hair below zero
    return np.asarray(np.maximum(uniform_filter1d(values, size, mode="nearest"), 0.0))


def propose(levels: Floats, hop_s: float = HOP_S) -> Anchor:
    """Propose an anchor from an RMS envelope in hops of ``hop_s`` seconds.

    A steep rise makes it a hit (where the strongest attack leaves what was before), a top at the very end that stops
    at once makes it a riser (its end), a long even sound is a bed (its start), anything else a swell (its highest level).
    """
    if len(levels) < 4 or levels.max() <= 1e-8:
        return Anchor(0.0, "start")
    ms = max(1, round(0.001 / hop_s))
    body = np.sqrt(_smooth(levels**2, 30 * ms))
    top = int(np.argmax(body))
    highest = body[top]
    fast = np.sqrt(_smooth(levels**2, 3 * ms))
    # the strongest attack: the largest rise of level over 20 ms that reaches near the top level
    lag = 20 * ms
    before = np.concatenate([np.full(lag, fast[0] if fast[0] < 0.1 * fast.max() else 0.0), fast])[: len(fast)]
    ahead = fast
    rise = np.where(ahead > 0.35 * fast.max(), ahead - before, 0.0)
    # of attacks about as strong as the strongest the first counts: a ratchet lands on its first tooth
    first = int(np.argmax(rise >= 0.7 * rise.max()))
    peak_rise = first + int(np.argmax(rise[first : first + lag]))
    steep = ahead[peak_rise] > 4 * before[peak_rise] + 1e-9
    long_ = len(levels) * hop_s > BED_S
    quiet, loud = np.percentile(20 * np.log10(body + 1e-7), [10, 90])
    if long_ and loud - quiet < 12:
        return Anchor(0.0, "start")
    after = levels[top:]
    stops = np.flatnonzero(np.sqrt(_smooth(after**2, 5 * ms)) < 0.1 * highest)
    if top > 0.7 * len(levels) and (len(stops) == 0 or stops[0] < 120 * ms) and not (steep and peak_rise < 0.5 * top):
        last = np.flatnonzero(levels > 0.2 * highest)
        return Anchor(float((last[-1] + 1) * hop_s), "end")
    if steep:
        base = before[peak_rise]
        limit = base + 0.1 * (ahead[peak_rise] - base)
        at = peak_rise
        while at > 0 and levels[at - 1] > limit:
            at -= 1
        return Anchor(at * hop_s, "hit")
    return Anchor(float(np.argmax(np.sqrt(_smooth(levels**2, 60 * ms))) * hop_s), "top")
