"""Pitch and length, and the sample rate."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.audio import resample, stretching
from oskren.core.audio.glide import Glide, glided
from oskren.core.audio.warp import warped
from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Params, StepKind, register
from oskren.core.timemap import TimeMap
from oskren.core.types import Samples


class PitchParams(Params):
    semitones: float = number(0.0, -48, 36, "st", "Pitch")
    mode: str = choice("varispeed", ["varispeed", "keep length"], "Mode")
    stretch: float = number(1.0, 0.1, 10, "×", "Stretch", "log")
    block_ms: float = number(120.0, 30, 400, "ms", "Blocks", "log")


@register
class Pitch(StepKind):
    """Shifts the pitch in semitones, by varispeed or with length kept, and stretches the length. Longer blocks suit very low sounds.

    Semitones may follow an envelope: by varispeed the length is what the moving speed makes of it, with length kept the sound so sped
    up and slowed down is warped back to its own time.
    """

    key, label, family, params, whole, keeps_time = "pitch", "Pitch and length", "Time", PitchParams, True, False
    words = "deeper higher bigger smaller slower faster longer shorter lower heavier monster giant tiny semitone octave stretch"
    settings = {
        "slowed by 6": {"semitones": -6.0},
        "slowed by 14": {"semitones": -14.0},
        "slowed by 18": {"semitones": -18.0},
        "slowed by 24": {"semitones": -24.0},
        "an octave up": {"semitones": 12.0},
        "deeper, as long": {"semitones": -7.0, "mode": "keep length", "block_ms": 200.0},
    }
    moving = ("semitones",)

    def version_of(self, params: PitchParams) -> int:
        # 2: levels are put back, phases found over all channels, large factors made in stages; 3: attacks are set down as they are.
        # Plain varispeed is what it was
        return 1 if params.mode != "keep length" and params.stretch == 1 else 3

    def _glide(self, params: PitchParams, at: Context) -> Glide | None:
        follows = at.envelope("semitones")
        if follows is None:
            return None
        times, semitones = follows.straight()
        carried = np.array([at.carry(float(moment)) for moment in times])
        order = np.argsort(carried, kind="stable")
        carried, semitones = carried[order], np.clip(semitones[order], -48, 36)
        apart = np.concatenate([[True], np.diff(carried) > 1e-9])
        return Glide(carried[apart], semitones[apart], at.frames / at.rate)

    def out_frames(self, params: PitchParams, at: Context) -> int:
        glide = self._glide(params, at)
        if glide is None:
            return stretching.repitched_frames(at.frames, params.semitones, params.mode == "keep length", params.stretch)
        return max(1, round((at.frames / at.rate if params.mode == "keep length" else glide.seconds) * params.stretch * at.rate))

    def time_map(self, params: PitchParams, at: Context) -> TimeMap:
        glide = self._glide(params, at)
        if glide is None or params.mode == "keep length":
            return TimeMap.affine(at.frames / self.out_frames(params, at), 0.0)
        whole = glide.time_map()
        return TimeMap(tuple(out * params.stretch for out in whole.outputs), whole.inputs)

    def passes(self, params: PitchParams, blocks: Iterator[Samples], at: Context) -> Iterator[Samples] | None:
        if at.envelope("semitones") is not None or params.mode == "keep length" or params.stretch != 1:
            return None
        return blocks if params.semitones == 0 else resample.converted(blocks, *resample.speed(params.semitones), at.channels)

    def run(self, params: PitchParams, samples: Samples, at: Context) -> Samples:
        glide = self._glide(params, at)
        if glide is None:
            keep = params.mode == "keep length"
            return stretching.repitch(samples, params.semitones, at.rate, keep_length=keep, factor=params.stretch, block_ms=params.block_ms)
        frames = self.out_frames(params, at)
        moved = glided(samples, glide, at.rate, max(1, round(glide.seconds * at.rate)))
        if params.mode == "keep length":
            return warped(moved, lambda seconds: glide.outputs_at(seconds / params.stretch), frames, at.rate, params.block_ms / 2)
        return stretching.stretch(moved, params.stretch, at.rate, params.block_ms, frames)


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

    def passes(self, params: RateParams, blocks: Iterator[Samples], at: Context) -> Iterator[Samples]:
        return blocks if params.rate == at.rate else resample.converted(blocks, at.rate, params.rate, at.channels)

    def run(self, params: RateParams, samples: Samples, at: Context) -> Samples:
        return resample.convert_rate(samples, at.rate, params.rate)
