"""A ceiling limiter that looks ahead and minds the true peak; a gate that opens before what it lets through."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from oskren.core.controls import number
from oskren.core.measure.levels import amplitude, loudest
from oskren.core.measure.true_peak import REACH, true_peak_envelope
from oskren.core.steps.base import Context, Params, Picture, Reading, Simple, StepKind, Stream, Summary, register
from oskren.core.types import Floats, Samples

DEEPEST_DB = 60.0
_MARGIN = 0.9966
"""0.03 dB kept free for what smoothing leaves between the samples."""


class LimiterParams(Params):
    ceiling_dbtp: float = number(-1.0, -24, 0, "dBTP", "Ceiling")
    look_ahead_ms: float = number(2.0, 0.5, 10, "ms", "Look-ahead")
    release_ms: float = number(80.0, 5, 1000, "ms", "Release of 12 dB", "log")


CONTEXT = REACH
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
        from oskren.core.steps.kernels import held_down, needed

        known, sure = len(self._needs), len(self._samples) - CONTEXT - unsure
        if sure > known:
            envelope = true_peak_envelope(self._samples[known:], self._rate, self._ceiling)
            needs = np.empty(sure - known)
            needed(np.ascontiguousarray(envelope[CONTEXT - 1 : CONTEXT + sure - known]), self._ceiling, DEEPEST_DB, needs)
            self._needs = np.concatenate([self._needs, needs])
        ready = len(self._needs) - ahead
        if ready <= 0:
            return np.zeros((0, self._channels), np.float32)
        out: Samples = np.empty((ready, self._channels), np.float32)
        held_down(self._needs, self._released, self._slope, np.ascontiguousarray(self._samples[CONTEXT : CONTEXT + ready]), out)
        self._samples, self._needs = self._samples[ready:], self._needs[ready:]
        drop = min(self._before, ready)
        self._before -= drop
        return out[drop:]


@register
class Limiter(StepKind):
    """Keeps the true peak under a ceiling."""

    key, label, family, params, version = "limiter", "Ceiling limiter", "Level", LimiterParams, 2
    words = "ceiling clip safe peak louder loud overs headroom protect"
    settings = {
        "one-shot": {"ceiling_dbtp": -1.0},
        "loud and dense": {"ceiling_dbtp": -1.0, "release_ms": 30.0},
        "unheard": {"ceiling_dbtp": -1.0, "look_ahead_ms": 5.0, "release_ms": 300.0},
    }

    def picture(self, params: LimiterParams, rate: int) -> Picture:
        level = np.linspace(-24.0, 12.0, 73)
        return Picture.of("dBTP in", "dBTP out", [Reading.of("", level, np.minimum(level, params.ceiling_dbtp))], y=(-24.0, 12.0), diagonal=True)

    def lead(self, params: LimiterParams, at: Context) -> int:
        return math.ceil((DEEPEST_DB / 12 * params.release_ms + 2 * params.look_ahead_ms) / 1000 * at.rate) + CONTEXT

    def stream(self, params: LimiterParams, summary: Summary, at: Context, position: int) -> Stream:
        return LimiterStream(params, at)


class GateParams(Params):
    threshold_dbfs: float = number(-50.0, -90, -6, "dBFS", "Opens over")
    hysteresis_db: float = number(4.0, 0, 24, "dB", "Shuts lower by")
    range_db: float = number(20.0, 0, 80, "dB", "Lets down by")
    attack_ms: float = number(1.0, 0.5, 50, "ms", "Opens within", "log")
    hold_ms: float = number(60.0, 0, 2000, "ms", "Stays open")
    release_ms: float = number(150.0, 5, 3000, "ms", "Shuts within", "log")


GATE_S = 0.0005
"""The gate looks at the highest sample of stretches this long."""


def gate_gains(levels_db: Floats, params: GateParams) -> Floats:
    """Gain (dB) at the edges of stretches from their peaks (dBFS): one more value than there are stretches.

    Open from where a peak reaches the threshold, a whole attack before it, until peaks have been under the threshold less
    the hysteresis for the hold; between, straight lines in dB.
    """
    attack = max(1, math.ceil(params.attack_ms / 1000 / GATE_S))
    hold = math.ceil(params.hold_ms / 1000 / GATE_S)
    over, under = levels_db >= params.threshold_dbfs, levels_db < params.threshold_dbfs - params.hysteresis_db
    # open where the last thing that was over or under was over; held on for the hold
    told = np.where(over, 1, np.where(under, -1, 0))
    last = np.maximum.accumulate(np.where(told != 0, np.arange(len(told)), -1))
    opened = np.where(last >= 0, told[np.maximum(last, 0)] > 0, False)
    heard = np.maximum.accumulate(np.where(opened, np.arange(len(told)), -1 - hold))
    still = np.arange(len(told)) - heard <= hold
    beside = np.concatenate([still[:1], still]) | np.concatenate([still, still[-1:]])
    wanted = np.where(beside, 0.0, -params.range_db)
    up, down = params.range_db / attack, params.range_db * GATE_S / (params.release_ms / 1000)
    ramp = np.arange(len(wanted))
    # shutting is a line down from the last open moment, opening a line up to the first
    falling = np.maximum(np.maximum.accumulate(wanted + down * ramp) - down * ramp, -params.range_db)
    rising = np.maximum(np.maximum.accumulate((wanted + up * ramp[::-1])[::-1])[::-1] - up * ramp[::-1], -params.range_db)
    return np.asarray(np.maximum(falling, rising))


class Gating:
    """Multiplies by gains that are known beforehand, straight lines in dB between them."""

    def __init__(self, gains: Floats, stretch: int, position: int):
        self._gains, self._stretch, self._at = np.ascontiguousarray(gains, np.float64), stretch, position

    def __call__(self, block: Samples) -> Samples:
        from oskren.core.steps import kernels

        out = np.array(block, np.float32, order="C")
        kernels.ride(out, self._gains, self._stretch, self._at)
        self._at += len(block)
        return out


@register
class Gate(StepKind):
    """Turns quiet stretches between events down. It opens just before an attack, so that none is cut."""

    key, label, family, params, analyses = "gate", "Gate", "Clean", GateParams, True
    words = "cleaner quieter between tighter silence floor chop cut"
    settings = {
        "between hits": {"threshold_dbfs": -42.0, "range_db": 40.0, "hold_ms": 40.0},
        "only a little": {"range_db": 8.0, "release_ms": 400.0},
        "cut off": {"threshold_dbfs": -30.0, "range_db": 80.0, "hold_ms": 20.0, "release_ms": 30.0},
    }

    def picture(self, params: GateParams, rate: int) -> Picture:
        """A sound of 0.1 s in quiet, and how far the gate lets down around it."""
        stretches = np.arange(round(1.2 / GATE_S))
        levels = np.where((stretches * GATE_S >= 0.3) & (stretches * GATE_S < 0.4), params.threshold_dbfs + 6, -96.0)
        gains = gate_gains(levels, params)[:-1]
        time = stretches * GATE_S
        return Picture.of("s", "dB", [Reading.of("", time[::8], gains[::8])], y=(-max(20.0, params.range_db) - 3, 3.0))

    def _stretch(self, at: Context) -> int:
        return max(1, round(GATE_S * at.rate))

    def analyse(self, params: GateParams, blocks: Iterator[Samples], at: Context) -> Summary:
        stretch = self._stretch(at)
        peaks, held = [], np.zeros(0, np.float32)
        for block in blocks:
            held = np.concatenate([held, loudest(block)])
            whole = len(held) // stretch * stretch
            peaks.append(held[:whole].reshape(-1, stretch).max(axis=1))
            held = held[whole:]
        if len(held):
            peaks.append(held.max(keepdims=True))
        return {"gains": gate_gains(20 * np.log10(np.maximum(np.concatenate(peaks), 1e-7)), params)}

    def stream(self, params: GateParams, summary: Summary, at: Context, position: int) -> Stream:
        return Simple(Gating(summary["gains"], self._stretch(at), position), at.channels)
