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


MOST_HOPS = 1_000_000


def _coarse(levels: Floats, hop_s: float) -> tuple[Floats, float]:
    """At most a million hops: those of very long sounds are joined by their RMS, so that two hours need no gigabyte."""
    by = -(-len(levels) // MOST_HOPS)
    if by <= 1:
        return levels, hop_s
    whole = len(levels) // by * by
    return np.sqrt(np.square(levels[:whole]).reshape(-1, by).mean(axis=1)), hop_s * by


@dataclass(frozen=True)
class Attack:
    """The strongest attack: how long it rises (s) and how far it stands out of what was before (dB over 20 ms)."""

    seconds: float
    rise_db: float


def attack(levels: Floats, hop_s: float = HOP_S) -> Attack:
    """Attack time of an RMS envelope, from a tenth of its top level to nine tenths, and its steepest rise over 20 ms.

    Source: Peeters et al., "The Timbre Toolbox", JASA 130, 2011 (log attack time, fixed thresholds).
    """
    levels, hop_s = _coarse(levels, hop_s)
    if len(levels) < 2 or levels.max() <= 1e-8:
        return Attack(0.0, 0.0)
    smooth = np.sqrt(_smooth(levels**2, max(1, round(0.005 / hop_s))))
    top = int(np.argmax(smooth))
    under = np.flatnonzero(smooth[: top + 1] <= 0.1 * smooth[top])
    begin = int(under[-1]) if len(under) else 0
    end = begin + int(np.argmax(smooth[begin : top + 1] >= 0.9 * smooth[top]))
    lag = max(1, round(0.02 / hop_s))
    floor = max(float(smooth[top]) * 1e-2, 1e-7)
    db = 20 * np.log10(np.concatenate([np.full(lag, floor), np.maximum(smooth, floor)]))
    heard = smooth > 0.35 * smooth[top]
    return Attack(max(hop_s, (end - begin) * hop_s), float((db[lag:] - db[:-lag])[heard].max()))


def of_kind(levels: Floats, kind: Kind, hop_s: float = HOP_S) -> Anchor:
    """The moment of a given kind in an RMS envelope: the strongest attack, the highest level, where it stops, or the start."""
    levels, hop_s = _coarse(levels, hop_s)
    if kind == "start" or len(levels) < 4 or levels.max() <= 1e-8:
        return Anchor(0.0, kind)
    ms = max(1, round(0.001 / hop_s))
    if kind == "end":
        last = np.flatnonzero(levels > 0.2 * np.sqrt(_smooth(levels**2, 30 * ms)).max())
        return Anchor(float((last[-1] + 1) * hop_s), kind)
    if kind == "top":
        return Anchor(float(np.argmax(np.sqrt(_smooth(levels**2, 60 * ms))) * hop_s), kind)
    fast = np.sqrt(_smooth(levels**2, 3 * ms))
    lag = 20 * ms
    before = np.concatenate([np.full(lag, fast[0] if fast[0] < 0.1 * fast.max() else 0.0), fast])[: len(fast)]
    return Anchor(_strongest_attack(levels, fast, before, lag)[0] * hop_s, kind)


def _strongest_attack(levels: Floats, fast: Floats, before: Floats, lag: int) -> tuple[int, int]:
    """Hop where the strongest attack leaves what was before, and hop of its steepest rise."""
    rise = np.where(fast > 0.35 * fast.max(), fast - before, 0.0)
    # of attacks about as strong as the strongest the first counts: a ratchet lands on its first tooth
    first = int(np.argmax(rise >= 0.7 * rise.max()))
    steepest = first + int(np.argmax(rise[first : first + lag]))
    limit = before[steepest] + 0.1 * (fast[steepest] - before[steepest])
    at = steepest
    while at > 0 and levels[at - 1] > limit:
        at -= 1
    return at, steepest


def propose(levels: Floats, hop_s: float = HOP_S) -> Anchor:
    """Propose an anchor from an RMS envelope in hops of ``hop_s`` seconds.

    A steep rise makes it a hit (where the strongest attack leaves what was before), a top at the very end that stops
    at once makes it a riser (its end), a long even sound is a bed (its start), anything else a swell (its highest level).
    """
    levels, hop_s = _coarse(levels, hop_s)
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
    at, steepest = _strongest_attack(levels, fast, before, lag)
    steep = fast[steepest] > 4 * before[steepest] + 1e-9
    long_ = len(levels) * hop_s > BED_S
    quiet, loud = np.percentile(20 * np.log10(body + 1e-7), [10, 90])
    if long_ and loud - quiet < 12:
        return Anchor(0.0, "start")
    after = levels[top:]
    stops = np.flatnonzero(np.sqrt(_smooth(after**2, 5 * ms)) < 0.1 * highest)
    if top > 0.7 * len(levels) and (len(stops) == 0 or stops[0] < 120 * ms) and not (steep and steepest < 0.5 * top):
        last = np.flatnonzero(levels > 0.2 * highest)
        return Anchor(float((last[-1] + 1) * hop_s), "end")
    if steep:
        return Anchor(at * hop_s, "hit")
    return Anchor(float(np.argmax(np.sqrt(_smooth(levels**2, 60 * ms))) * hop_s), "top")
