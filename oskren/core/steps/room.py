"""Room reduction: what a room adds after a sound is taken down, what reaches the microphone at once is kept."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.controls import number
from oskren.core.measure.levels import amplitude
from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, register
from oskren.core.steps.spectral import Spectral, even, frame_size
from oskren.core.types import AnyArray, Samples

SMOOTHED, NOW, ACROSS = 13, 9, 5
"""Spectral frames over which the power of the past and that of now is averaged, and how many bins: fewer leave so much chance in what is
late that only half of what is asked is taken."""


class RoomParams(Params):
    reduction_db: float = number(8.0, 0, 30, "dB", "Reduction")
    decay_s: float = number(0.8, 0.1, 8, "s", "The room decays by 60 dB in", "log")
    early_ms: float = number(60.0, 30, 200, "ms", "Kept after each sound")
    strength_db: float = number(0.0, -6, 12, "dB", "How sure of it")


BETWEEN, STEEP = 0.5, 8.0
"""Where between pure decay and a steady sound what is late ends, and how sharply: chosen on recordings in made rooms."""


class Late:
    """Gain by how far the power has fallen: as far as the room lets it fall since a while ago, then it is late; less far, then something sounds.

    The power a while ago, fallen at the room's pace, is the most that can be late (e^(-2 d t); Lebart, Boucher, Denbigh 2001); what stands
    over it by more than half (in dB) of what a steady sound does is direct and stays. Smoothed over neighbours, with a floor.
    """

    def __init__(self, params: RoomParams, rate: int):
        hop = frame_size(rate) // 4
        self._least = np.float32(amplitude(-params.reduction_db))
        self._delay = max(1, round(params.early_ms / 1000 * rate / hop))
        damping = 3 * math.log(10) / params.decay_s
        fallen = math.exp(-2 * damping * self._delay * hop / rate)
        # between pure decay (the power is what it was, fallen) and a steady sound (the power is what it was)
        self._share = np.float32(fallen ** (1 - BETWEEN) * 10 ** (params.strength_db / 10))

    @property
    def before(self) -> int:
        return self._delay + SMOOTHED

    def __call__(self, power: Samples, channel: int, begins: AnyArray) -> Samples:
        late = even(power, SMOOTHED, ACROSS)[: len(power) - self._delay] * self._share
        now = even(power, NOW, ACROSS)[self._delay :]
        ratio = np.minimum(now / np.maximum(late, np.float32(1e-20)), np.float32(1e4)) ** np.float32(STEEP)
        gain = even(ratio / (1 + ratio), 3, 3)
        return np.asarray(np.maximum(gain, self._least)[SMOOTHED : len(gain) - SMOOTHED])


@register
class RoomReduction(StepKind):
    """Reduces the late reverberation of a room by its decay. Long steady tones go down a little too."""

    key, label, family, params, version = "room_reduction", "Room reduction", "Clean", RoomParams, 2
    words = "dryer closer nearer less reverb room cleaner"
    settings = {
        "a little nearer": {"reduction_db": 4.0},
        "small tiled room": {"decay_s": 0.5, "reduction_db": 8.0},
        "hall": {"decay_s": 2.0, "reduction_db": 10.0},
    }

    def lead(self, params: RoomParams, at: Context) -> int:
        return Spectral.lead(Late(params, at.rate).before, at.rate)

    def stream(self, params: RoomParams, summary: Summary, at: Context, position: int) -> Stream:
        late = Late(params, at.rate)
        return Spectral(late, late.before, SMOOTHED, at, position)
