"""Pitch and length, and the sample rate."""

from __future__ import annotations

from oskren.core.audio import resample
from oskren.core.steps.base import Context, Params, StepKind, choice, number, register
from oskren.core.timemap import TimeMap
from oskren.core.types import Samples


class PitchParams(Params):
    semitones: float = number(0.0, -48, 36, "st", "Pitch")
    mode: str = choice("varispeed", ["varispeed", "keep length"], "Mode")
    stretch: float = number(1.0, 0.1, 10, "×", "Stretch", "log")
    block_ms: float = number(120.0, 30, 400, "ms", "Blocks", "log")


@register
class Pitch(StepKind):
    """Shift in semitones by varispeed or with length kept, and stretch besides; longer blocks suit very low material."""

    key, label, family, params, whole, keeps_time = "pitch", "Pitch and length", "Time", PitchParams, True, False

    def out_frames(self, params: PitchParams, at: Context) -> int:
        return resample.repitched_frames(at.frames, params.semitones, params.mode == "keep length", params.stretch)

    def time_map(self, params: PitchParams, at: Context) -> TimeMap:
        return TimeMap.affine(at.frames / self.out_frames(params, at), 0.0)

    def run(self, params: PitchParams, samples: Samples, at: Context) -> Samples:
        return resample.repitch(samples, params.semitones, at.rate, keep_length=params.mode == "keep length", factor=params.stretch, block_ms=params.block_ms)


class RateParams(Params):
    rate: int = number(48_000, 1000, 768_000, "Hz", "Sample rate")


@register
class Rate(StepKind):
    """Conversion of the sample rate; put in by mixes and by Ship where rates differ."""

    key, label, family, params, whole, offered = "rate", "Sample rate", "Time", RateParams, True, False

    def out_frames(self, params: RateParams, at: Context) -> int:
        return round(at.frames * params.rate / at.rate)

    def out_rate(self, params: RateParams, rate: int) -> int:
        return params.rate

    def run(self, params: RateParams, samples: Samples, at: Context) -> Samples:
        return resample.convert_rate(samples, at.rate, params.rate)
