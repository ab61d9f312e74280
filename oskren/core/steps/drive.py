"""What makes rougher: a waveshaper with several curves, run at a higher rate, and fewer bits and a lower rate."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Following, Params, Picture, Reading, StepKind, Stream, Summary, register
from oskren.core.steps.moving import Reaching, column, share
from oskren.core.types import Floats, Samples

CURVES = ["soft", "hard", "fold", "lopsided", "broken"]


def shaped(x: Floats | Samples, curve: str) -> Floats:
    """A driven sample after its curve; all go through 0 with slope 1 (``broken`` has a gap around 0), and none goes over 1.

    soft: tanh; hard: clipped at 1; fold: folded back again and again, sin(x); lopsided: tanh above, and below as soft but only half as far, which
    gives even partials and an offset while it sounds; broken: what is under a twentieth is lost. Common practice, no source.
    """
    if curve == "soft":
        return np.tanh(x)
    if curve == "hard":
        return np.clip(x, -1, 1)
    if curve == "fold":
        return np.sin(x)
    if curve == "lopsided":
        return np.where(x > 0, np.tanh(x), 0.5 * np.tanh(2 * x))
    return np.sign(x) * np.clip(np.abs(x) - 0.05, 0, 1)


TAPS = 24
"""Reach of the rate filters, in frames of the sound, to either side."""


@functools.lru_cache(maxsize=4)
def _low_pass(times: int) -> Floats:
    from scipy.signal import firwin

    # flat to 0.42 of the rate (20 kHz at 48 kHz), 100 dB down from 0.58 on: what folds over the edge lands above 20 kHz
    return np.asarray(firwin(2 * TAPS * times + 1, 1.0, window=("kaiser", 10.0), fs=2.0 * times))


@functools.lru_cache(maxsize=4)
def _phases(times: int) -> tuple[Samples, Samples]:
    """The filter as one row a phase of the higher rate, shape (times, 2 TAPS + 1): for the way up, and for the way down."""
    taps = np.concatenate([_low_pass(times), np.zeros(times - 1)]).reshape(2 * TAPS + 1, times).T
    return np.ascontiguousarray(taps[:, ::-1] * times, np.float32), np.ascontiguousarray(taps, np.float32)


def at_higher_rate(samples: Samples, times: int, function: Callable[[Samples, int], Samples]) -> Samples:
    """A function of samples, run at so many times the rate: the middle of a stretch that has ``2 TAPS`` frames of surroundings on either side.

    ``function`` is given the stretch at the higher rate less ``TAPS`` frames on either side, and how many times the rate that is.
    """
    from oskren.core.steps import kernels

    if times == 1:
        return function(samples[TAPS:-TAPS], 1)[TAPS:-TAPS]
    lanes = np.ascontiguousarray(samples.T, np.float32)
    raised = np.empty((len(lanes), (lanes.shape[1] - 2 * TAPS) * times), np.float32)
    up, down = _phases(times)
    kernels.raise_rate(lanes, up, raised)
    bent = np.asarray(function(raised.T, times), np.float32).reshape(-1, times, len(lanes))
    out = np.empty((len(lanes), len(bent) - 2 * TAPS), np.float32)
    kernels.lower_rate(np.ascontiguousarray(bent.transpose(2, 1, 0)), down, out)
    return out.T


class DriveParams(Params):
    curve: str = choice("soft", CURVES, "Curve")
    drive_db: float = number(12.0, -12, 48, "dB", "Drive")
    output_db: float = number(-3.0, -36, 12, "dB", "Output")
    mix: float = number(1.0, 0, 1, "", "Mix")
    oversampling: str = choice("8", ["1", "2", "4", "8"], "Times the rate")


class Driving:
    """Drive of a stretch with its surroundings."""

    def __init__(self, params: DriveParams, at: Context):
        self._params, self._at, self._times = params, at, int(params.oversampling)

    def __call__(self, held: Samples, first: int) -> Samples:
        p, count = self._params, len(held) - 4 * TAPS

        def run(raised: Samples, times: int) -> Samples:
            if self._at.envelope("drive_db") is None:
                drive: float | Floats = p.drive_db
            else:
                around = np.asarray(self._at.moved("drive_db", p.drive_db, first - TAPS, len(held) - 2 * TAPS))
                drive = np.interp(np.arange(len(raised)) / times, np.arange(len(around)), around)
            return np.asarray(shaped(raised * column(drive), p.curve), np.float32)

        wet = at_higher_rate(held, self._times, run)
        dry = held[2 * TAPS : -2 * TAPS]
        mix = share(self._at, "mix", p.mix, first, count)
        out = column(self._at.moved("output_db", p.output_db, first, count))
        return np.asarray(dry + mix * (wet * out - dry), np.float32)


@register
class Drive(StepKind):
    """Bends the waveform by a curve, which adds harmonics and keeps the level under a ceiling."""

    key, label, family, params = "drive", "Drive", "Rough", DriveParams
    words = "rougher dirtier bigger louder distortion grit angry warm saturate broken fold"
    moving = ("drive_db", "output_db", "mix")
    settings = {
        "warm": {"curve": "soft", "drive_db": 6.0, "output_db": -2.0},
        "torn": {"curve": "hard", "drive_db": 30.0, "output_db": -9.0},
        "folded brass": {"curve": "fold", "drive_db": 18.0, "output_db": -8.0, "mix": 0.7},
        "starved": {"curve": "broken", "drive_db": 9.0, "output_db": -3.0},
    }

    def picture(self, params: DriveParams, rate: int) -> Picture:
        x = np.linspace(-1.0, 1.0, 161)
        wet = shaped(x * 10 ** (params.drive_db / 20), params.curve) * 10 ** (params.output_db / 20)
        return Picture.of("in", "out", [Reading.of("", x, x + params.mix * (wet - x))], y=(-1.1, 1.1), diagonal=True)

    def lead(self, params: DriveParams, at: Context) -> int:
        return 2 * TAPS

    def stream(self, params: DriveParams, summary: Summary, at: Context, position: int) -> Stream:
        return Reaching(2 * TAPS, at.channels, position, Driving(params, at))


class CrushParams(Params):
    bits: float = number(8.0, 1, 16, "bit", "Bits")
    rate_hz: float = number(12_000.0, 200, 48_000, "Hz", "Rate", "log")
    mix: float = number(1.0, 0, 1, "", "Mix")


class Crushing:
    """Every so many frames a sample is taken and held, the same ones from wherever it is rendered; then it is rounded."""

    def __init__(self, params: CrushParams, at: Context):
        self._params, self._at = params, at
        self._every = max(1.0, at.rate / params.rate_hz)
        self._taken = 0
        self._held: Samples = np.zeros((1, at.channels), np.float32)

    def __call__(self, block: Samples, first: int) -> Samples:
        from oskren.core.steps import kernels

        p = self._params
        if not self._taken:
            self._taken = math.ceil(first / self._every)
        held = np.array(block, np.float32, order="C")
        self._taken = kernels.take_and_hold(held, self._every, first, self._taken, self._held)
        step = 2.0 ** (1 - np.clip(self._at.moved("bits", p.bits, first, len(block)), 1, 24))
        size = np.asarray(step, np.float32).reshape(-1, 1)
        rounded = np.rint(held / size)
        rounded *= size
        np.clip(rounded, -1, 1, out=rounded)
        if p.mix == 1 and self._at.envelope("mix") is None:
            return np.asarray(rounded, np.float32)
        return np.asarray(block + share(self._at, "mix", p.mix, first, len(block)) * (rounded - block), np.float32)


@register
class Crush(StepKind):
    """Reduces bits and sample rate without filters, so that quantisation noise and aliases are heard."""

    key, label, family, params = "crush", "Fewer bits, lower rate", "Rough", CrushParams
    words = "rougher cheaper digital radio broken robot grit toy lo-fi crush aliasing"
    moving = ("bits", "mix")
    settings = {
        "toy heron": {"bits": 6.0, "rate_hz": 8000.0},
        "worn wire": {"bits": 10.0, "rate_hz": 5500.0, "mix": 0.6},
        "gravel": {"bits": 3.0, "rate_hz": 22_000.0, "mix": 0.35},
    }

    def picture(self, params: CrushParams, rate: int) -> Picture:
        """Two milliseconds of a sine of 1 kHz, before and after."""
        frames = 96 * 2
        tone = np.sin(2 * np.pi * np.arange(frames) / 96).astype(np.float32)[:, None]
        out = Crushing(params, Context(96_000, 1, frames))(tone, 0)
        time = np.arange(frames) / 96.0
        return Picture.of("ms", "", [Reading.of("before", time, tone[:, 0]), Reading.of("after", time, out[:, 0])], y=(-1.1, 1.1))

    def lead(self, params: CrushParams, at: Context) -> int:
        return 2 * math.ceil(max(1.0, at.rate / params.rate_hz)) + 1

    def stream(self, params: CrushParams, summary: Summary, at: Context, position: int) -> Stream:
        return Following(at, position, Crushing(params, at))
