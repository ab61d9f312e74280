"""A sound led in by its own tail in a room, played backwards."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.controls import number
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, register
from oskren.core.steps.convolving import Partitioned
from oskren.core.steps.space import SpaceParams, response
from oskren.core.timemap import TimeMap
from oskren.core.types import Samples


class LeadInParams(Params):
    length_s: float = number(1.5, 0.05, 20, "s", "Leads in for", "log", 2)
    decay_s: float = number(2.0, 0, 12, "s", "Tail of a space of", digits=1)
    level_db: float = number(-6.0, -40, 6, "dB", "Level")
    gap_ms: float = number(0.0, 0, 500, "ms", "Silence before the sound")


@register
class LeadIn(StepKind):
    """Puts the sound's own reversed reverberation before it, which swells up to where the sound begins."""

    key, label, family, params, whole, keeps_time = "lead_in", "Reversed tail before", "Length", LeadInParams, True, False
    words = "reverse swell riser suck anticipation longer before magic whoosh"
    settings = {
        "breath in": {"length_s": 0.6, "decay_s": 0.8},
        "from far away": {"length_s": 4.0, "decay_s": 6.0, "level_db": -3.0},
        "only itself": {"decay_s": 0.0, "length_s": 1.0},
    }

    def _before(self, params: LeadInParams, at: Context) -> tuple[int, int]:
        return round(params.length_s * at.rate), round(params.gap_ms / 1000 * at.rate)

    def picture(self, params: LeadInParams, rate: int) -> Picture:
        """The level on the way to where the sound begins (0 s), and that of a sound of half a second."""
        before = np.linspace(-params.length_s, 0, 200)
        rising = params.length_s / (4 if params.decay_s >= 0.1 else 1)
        rise = 20 * np.log10(np.maximum(np.sin(np.pi / 2 * np.minimum(1.0, (before + params.length_s) / rising)) ** 2, 1e-4))
        falls = 60 * before / params.decay_s if params.decay_s >= 0.1 else 0.0
        gap = params.gap_ms / 1000
        sound = np.linspace(0, 0.5, 40)
        lines = [Reading.of("swell", before - gap, params.level_db + rise + falls), Reading.of("sound", sound, -40 * sound)]
        return Picture.of("s", "dB", lines, y=(-60.0, 6.0))

    def out_frames(self, params: LeadInParams, at: Context) -> int:
        return at.frames + sum(self._before(params, at))

    def time_map(self, params: LeadInParams, at: Context) -> TimeMap:
        return TimeMap.affine(1.0, -sum(self._before(params, at)) / at.rate)

    def run(self, params: LeadInParams, samples: Samples, at: Context) -> Samples:
        length, gap = self._before(params, at)
        tail, rising = samples[:length], length
        if params.decay_s >= 0.1:
            # the sound backwards in a room: what rings on after its end, turned round, swells into its beginning
            impulse = response(SpaceParams(decay_s=params.decay_s, pre_delay_ms=0.0, size_m=15.0), at.rate, at.channels)
            room = Partitioned(impulse)
            rung = np.concatenate([room.push(samples[::-1]), room.flush()])
            tail, rising = rung[at.frames : at.frames + length], max(1, length // 4)
            loud, own = _loudest(tail, at.rate), _loudest(samples, at.rate)
            tail = tail * np.float32(own / loud if loud > 1e-9 else 1.0)
        back = np.zeros((length, at.channels), np.float32)
        back[length - len(tail) :] = tail[::-1]
        rise = np.sin(np.pi / 2 * np.minimum(1.0, (np.arange(length) + 0.5) / rising))[:, None] ** 2
        end = min(length, max(1, round(0.002 * at.rate)))
        gain = rise * 10 ** (params.level_db / 20)
        gain[length - end :] *= np.linspace(1, 0, end)[:, None] if gap else 1.0
        return np.concatenate([(back * gain).astype(np.float32), np.zeros((gap, at.channels), np.float32), samples])


def _loudest(samples: Samples, rate: int, seconds: float = 0.02) -> float:
    """RMS of the loudest stretch of so many seconds, of the mean of the channels' powers."""
    power = np.square(samples, dtype=np.float64).mean(axis=1)
    size = max(1, min(len(power), round(seconds * rate)))
    return math.sqrt(float(power[: len(power) // size * size].reshape(-1, size).mean(axis=1).max(initial=0.0)))
