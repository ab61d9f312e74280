"""A step limited to a part of the time, to channels or to a band: what it changes is let in there alone, with crossfades."""

from __future__ import annotations

import functools
import math

import numpy as np

from oskren.core.nodes.model import Step
from oskren.core.steps.base import Context, Stream
from oskren.core.types import Floats, Samples

EDGE_SHARE = 0.3
"""Width of the slope at a band's lower edge, as a share of its frequency."""

MOST_TAPS = 8191


@functools.lru_cache(maxsize=8)
def band_taps(low_hz: float | None, high_hz: float | None, rate: int) -> Floats | None:
    """Linear-phase filter (odd count of taps) that passes a band; None when the band is everything.

    Designed with a Kaiser window, 70 dB down outside; -6 dB at the edges, so that a band and the rest of it sum to the whole.
    """
    from scipy.signal import firwin

    low = low_hz if low_hz is not None and low_hz > 0 else None
    high = high_hz if high_hz is not None and high_hz < 0.49 * rate else None
    if low is None and high is None:
        return None
    slope = EDGE_SHARE * (low if low is not None else high or 1.0)
    taps = min(MOST_TAPS, math.ceil(4.4 * rate / slope)) | 1
    edges = [edge for edge in (low, high) if edge is not None]
    return np.asarray(firwin(taps, edges, window=("kaiser", 6.8), pass_zero=low is None, fs=rate))


def overlap(step: Step, rate: int) -> int:
    """Frames the band's filter reaches to either side."""
    taps = band_taps(step.low_hz, step.high_hz, rate)
    return 0 if taps is None else len(taps) // 2


class Computed:
    """A stream that gives what was computed beforehand, whatever it is given."""

    def __init__(self, given: Samples):
        self._given, self._here = given, 0

    def push(self, block: Samples) -> Samples:
        self._here += len(block)
        return self._given[self._here - len(block) : self._here]

    def flush(self) -> Samples:
        return self._given[self._here :]


class Limited:
    """Lets in what a step changes where it is wanted.

    With the tail *cut*, what the step does is faded out at the end of the part; with the tail *ringing*, the step is given the
    part alone and what it still gives afterwards goes on.
    """

    def __init__(self, inner: Stream, step: Step, at: Context, position: int):
        self._inner, self._ring = inner, step.tail == "ring"
        timed = step.start_s is not None or step.end_s is not None
        self._first, self._last = at.part(step.start_s, step.end_s) if timed else (-(1 << 60), 1 << 60)
        self._fade = max(1, round(step.fade_s * at.rate))
        self._mask = np.array([not step.channels or lane in step.channels for lane in range(at.channels)], np.float32)
        self._taps = band_taps(step.low_hz, step.high_hz, at.rate)
        self._reach = 0 if self._taps is None else len(self._taps) // 2
        self._late: Samples = np.zeros((2 * self._reach, at.channels), np.float32)
        """What the filter still has to give for frames that went in."""
        self._unheard = self._reach
        """Frames the filter gives before its answer to the first frame."""
        self._dry: Samples = np.zeros((0, at.channels), np.float32)
        """From the next output frame on."""
        self._fed = self._here = position
        self._changed = 0
        """Frames of ``_dry`` whose change is known to the filter already."""

    def _share(self, start: int, count: int) -> Samples:
        place = np.arange(start, start + count)
        return np.clip(np.minimum(place - self._first, self._last - 1 - place) / self._fade + 1, 0, 1).astype(np.float32)[:, None]

    def push(self, block: Samples) -> Samples:
        self._dry = np.concatenate([self._dry, block])
        wet = self._inner.push(block * self._share(self._fed, len(block)) if self._ring else block)
        self._fed += len(block)
        return self._give(wet)

    def flush(self) -> Samples:
        wet = self._inner.flush()
        over = len(wet) - (len(self._dry) - self._changed)
        if over > 0:  # the step lengthens the sound
            self._dry = np.concatenate([self._dry, np.zeros((over, self._dry.shape[1]), np.float32)])
        given = self._give(wet)
        if not self._reach:
            return given
        rest = self._let_in(self._late[self._unheard : self._unheard + len(self._dry)])
        return np.concatenate([given, rest])

    def _give(self, wet: Samples) -> Samples:
        dry = self._dry[self._changed : self._changed + len(wet)]
        change = wet - dry * self._share(self._here + self._changed, len(wet)) if self._ring else wet - dry
        self._changed += len(wet)
        return self._let_in(self._filtered(change))

    def _filtered(self, change: Samples) -> Samples:
        if self._taps is None or not len(change):
            return change
        from scipy.signal import oaconvolve

        spread = oaconvolve(change, self._taps[:, None], axes=0).astype(np.float32)
        spread[: len(self._late)] += self._late
        self._late = spread[len(change) :]
        drop = min(self._unheard, len(change))
        self._unheard -= drop
        return np.asarray(spread[drop : len(change)])

    def _let_in(self, change: Samples) -> Samples:
        dry, self._dry = self._dry[: len(change)], self._dry[len(change) :]
        self._changed = max(0, self._changed - len(change))
        share = 1.0 if self._ring else self._share(self._here, len(change))
        self._here += len(change)
        return np.asarray(dry + change * share * self._mask, dtype=np.float32)
