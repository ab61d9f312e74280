"""Room reduction: what a room adds after a sound is taken down, what reaches the microphone at once is kept."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.controls import number
from oskren.core.measure.levels import amplitude
from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, register
from oskren.core.steps.spectral import Spectral, even, frame_size
from oskren.core.types import AnyArray, Samples

SMOOTHED = 5
"""Spectral frames over which the power of the past is averaged; as many bins, less two."""


class RoomParams(Params):
    reduction_db: float = number(8.0, 0, 30, "dB", "Reduction")
    decay_s: float = number(0.8, 0.1, 8, "s", "The room decays by 60 dB in", "log")
    early_ms: float = number(60.0, 30, 200, "ms", "Kept after each sound")
    strength_db: float = number(3.0, -6, 12, "dB", "How sure of it")


class Late:
    """Gain by the late part of the room, estimated from the past: e^(-2 d t) of the power t ago (Lebart, Boucher, Denbigh 2001).

    The ratio of the rest to it gives a Wiener gain, smoothed over neighbours, with a floor.
    """

    def __init__(self, params: RoomParams, rate: int):
        hop = frame_size(rate) // 4
        self._least = np.float32(amplitude(-params.reduction_db))
        self._delay = max(1, round(params.early_ms / 1000 * rate / hop))
        damping = 3 * math.log(10) / params.decay_s
        self._share = np.float32(math.exp(-2 * damping * self._delay * hop / rate) * 10 ** (params.strength_db / 10))

    @property
    def before(self) -> int:
        return self._delay + SMOOTHED

    def __call__(self, power: Samples, channel: int, begins: AnyArray) -> Samples:
        late = even(power, SMOOTHED, 3)[: len(power) - self._delay] * self._share
        now = even(power, 3, 3)[self._delay :]
        ratio = np.maximum(now - late, 0) / np.maximum(late, np.float32(1e-20))
        gain = even(ratio / (1 + ratio), 3, 3)
        return np.asarray(np.maximum(gain, self._least)[SMOOTHED : len(gain) - SMOOTHED])


@register
class RoomReduction(StepKind):
    """Reduces the late reverberation of a room by its decay. Long steady tones go down a little too."""

    key, label, family, params = "room_reduction", "Room reduction", "Clean", RoomParams
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
