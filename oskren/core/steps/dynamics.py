"""A ceiling limiter that looks ahead and minds the true peak."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.measure.levels import amplitude, true_peak_envelope
from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, number, register
from oskren.core.types import Floats, Samples

DEEPEST_DB = 60.0
_MARGIN = 0.9966
"""0.03 dB kept free for what smoothing leaves between the samples."""


class LimiterParams(Params):
    ceiling_dbtp: float = number(-1.0, -24, 0, "dBTP", "Ceiling")
    look_ahead_ms: float = number(2.0, 0.5, 10, "ms", "Look-ahead")
    release_ms: float = number(80.0, 5, 1000, "ms", "Release of 12 dB", "log")


CONTEXT = 32
"""Frames on either side that the true-peak filter looks at."""


class LimiterStream:
    """Gains in dB, held down ahead of a peak, released along a straight line, then smoothed.

    With need(i) <= 0 the gain frame i must not exceed: held(i) is the least need over [i, i + look];
    released(i) = min(held(i), released(i - 1) + slope); the gain is the mean of released over [i - look, i].
    Each of those is at most need(i), so the smoothing never lets a peak through.
    """

    def __init__(self, params: LimiterParams, at: Context):
        self._rate, self._channels = at.rate, at.channels
        self._look = max(4, round(params.look_ahead_ms / 1000 * at.rate))
        self._ceiling = amplitude(params.ceiling_dbtp) * _MARGIN
        self._slope = 12.0 / (params.release_ms / 1000 * at.rate)
        # silence before the start, as long as the look-ahead: a sound that begins loud is held down from its first frame
        self._before = self._look
        self._samples: Samples = np.zeros((CONTEXT + self._look, at.channels), np.float32)
        """From CONTEXT frames before the next output frame on."""
        self._needs: Floats = np.zeros(0)
        """From the next output frame on."""
        self._released: Floats = np.zeros(self._look)
        """The ``look`` values before the next output frame."""

    def push(self, block: Samples) -> Samples:
        self._samples = np.concatenate([self._samples, block])
        return self._give(CONTEXT, self._look)

    def flush(self) -> Samples:
        return self._give(0, 0)

    def _give(self, unsure: int, ahead: int) -> Samples:
        """Give all frames whose needs are known ``ahead`` frames on; the last ``unsure`` frames lack their context."""
        known, sure = len(self._needs), len(self._samples) - CONTEXT - unsure
        if sure > known:
            envelope = true_peak_envelope(self._samples[known:], self._rate).astype(np.float64)
            # a peak between two frames concerns both
            envelope = np.maximum(envelope[1:], envelope[:-1])[CONTEXT - 1 : CONTEXT - 1 + sure - known]
            need = 20 * np.log10(self._ceiling / np.maximum(envelope, self._ceiling))
            self._needs = np.concatenate([self._needs, np.maximum(need, -DEEPEST_DB)])
        ready = len(self._needs) - ahead
        if ready <= 0:
            return np.zeros((0, self._channels), np.float32)
        from scipy.ndimage import minimum_filter1d

        window = self._look + 1
        padded = np.concatenate([self._needs, np.zeros(2 * window)])
        held = minimum_filter1d(padded, window, mode="nearest")[window // 2 : window // 2 + ready]
        ramp = self._slope * np.arange(ready + 1)
        released = (np.minimum.accumulate(np.concatenate([self._released[-1:], held]) - ramp) + ramp)[1:]
        history = np.concatenate([self._released, released])
        total = np.concatenate([[0.0], np.cumsum(history)])
        gain = 10.0 ** ((total[window:] - total[:-window]) / window / 20)
        out: Samples = (self._samples[CONTEXT : CONTEXT + ready] * gain[:, None]).astype(np.float32)
        self._samples, self._needs, self._released = self._samples[ready:], self._needs[ready:], history[-self._look :]
        drop = min(self._before, ready)
        self._before -= drop
        return out[drop:]


@register
class Limiter(StepKind):
    """Keeps the true peak under a ceiling."""

    key, label, family, params = "limiter", "Ceiling limiter", "Level", LimiterParams

    def lead(self, params: LimiterParams, at: Context) -> int:
        return math.ceil((DEEPEST_DB / 12 * params.release_ms + 2 * params.look_ahead_ms) / 1000 * at.rate) + CONTEXT

    def stream(self, params: LimiterParams, summary: Summary, at: Context, position: int) -> Stream:
        return LimiterStream(params, at)
