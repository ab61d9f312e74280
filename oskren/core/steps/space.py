"""Spaces: a room made of early reflections and a tail that decays at its own pace in every band, by convolution."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable

import numpy as np

from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, number, register
from oskren.core.types import Floats, Samples

SPEED_OF_SOUND = 343.0
"""m/s at 20 °C."""


class SpaceParams(Params):
    size_m: float = number(9.0, 1, 80, "m", "Size", "log")
    decay_s: float = number(0.9, 0.1, 12, "s", "Decay", "log")
    low_ratio: float = number(1.1, 0.3, 2.0, "×", "Lows decay")
    high_ratio: float = number(0.5, 0.1, 1.2, "×", "Highs decay")
    pre_delay_ms: float = number(8.0, 0, 250, "ms", "Pre-delay")
    width: float = number(1.0, 0, 1, "", "Width")
    wet_db: float = number(-10.0, -60, 6, "dB", "Wet")
    dry_db: float = number(0.0, -60, 6, "dB", "Dry")


def _noise(frames: int, seed: int) -> Floats:
    return np.asarray(np.random.Generator(np.random.PCG64(seed)).standard_normal(frames))


@functools.lru_cache(maxsize=8)
def response(params: SpaceParams, rate: int, channels: int) -> Samples:
    """Impulse response of the space, dry sound left out; shape (frames, channels), unit energy a channel.

    The tail is noise split into octave bands, each falling by 60 dB in its own decay: the stated decay from 500 Hz
    to 2 kHz, ``low_ratio`` times that below 125 Hz, ``high_ratio`` times from 8 kHz on, moved linearly over octaves between.
    Early reflections come at the delays of a room of the stated size, growing denser with the square of time.
    """
    longest = params.decay_s * max(1.0, params.low_ratio, params.high_ratio)
    frames = math.ceil(longest * 1.15 * rate)
    time = np.arange(frames) / rate
    spectrum_hz = np.fft.rfftfreq(frames, 1 / rate)
    centres = np.array([62.5 * 2.0**k for k in range(9) if 62.5 * 2.0**k < rate / 2])
    octaves = np.log2(np.maximum(spectrum_hz, 1.0) / 62.5)
    early = min(0.08, 4 * params.size_m / SPEED_OF_SOUND)
    result = np.zeros((frames, channels))
    middle = _noise(frames, 7001)
    for channel in range(channels):
        side = _noise(frames, 7002 + channel)
        source = np.fft.rfft(middle * math.sqrt(1 - params.width / 2) + side * math.sqrt(params.width / 2) if channels > 1 else middle)
        for k, centre in enumerate(centres):
            weight = np.clip(1 - np.abs(octaves - k), 0, 1)
            if k == 0:
                weight = np.where(octaves < 0, 1.0, weight)
            if k == len(centres) - 1:
                weight = np.where(octaves > k, 1.0, weight)
            decay = params.decay_s * float(np.interp(np.log2(centre), np.log2([125, 500, 2000, 8000]), [params.low_ratio, 1.0, 1.0, params.high_ratio]))
            result[:, channel] += np.fft.irfft(source * weight, frames) * 10 ** (-3 * time / decay)
        result[:, channel] *= 1 - np.exp(-time / max(early / 3, 0.002))
        scale = math.sqrt(float(np.mean(result[: max(1, round(early * rate)), channel] ** 2)) + 1e-12)
        random = np.random.Generator(np.random.PCG64(7100 + (channel if params.width > 0 else 0)))
        for _ in range(14):
            at = round(params.size_m / SPEED_OF_SOUND * (0.35 + 3.6 * math.sqrt(random.random())) * rate)
            if at < frames:
                result[at, channel] += scale * 5 * math.exp(-at / rate / max(early, 0.01)) * (1 if random.random() > 0.4 else -1)
        result[:, channel] /= math.sqrt(float(np.sum(result[:, channel] ** 2)))
    delay = round(params.pre_delay_ms / 1000 * rate)
    return np.concatenate([np.zeros((delay, channels)), result]).astype(np.float32)


Level = Callable[[int, int], Floats]
"""Amplitudes, shape (1 or count, 1), of a count of frames from a frame on."""


class Convolution:
    """Overlap-add convolution of blocks, with the dry sound mixed in; the tail comes out on ``flush``."""

    def __init__(self, impulse: Samples, wet: Level, dry: Level, position: int = 0):
        self._impulse, self._wet, self._dry, self._here = impulse, wet, dry, position
        self._pending: Floats = np.zeros((0, impulse.shape[1]))

    def push(self, block: Samples) -> Samples:
        if not len(block):
            return block
        from scipy.signal import oaconvolve

        wet = oaconvolve(block * self._wet(self._here, len(block)), self._impulse, axes=0)
        wet[: len(block)] += block * self._dry(self._here, len(block))
        self._here += len(block)
        wet[: len(self._pending)] += self._pending[: len(wet)]
        self._pending = np.concatenate([wet, self._pending[len(wet) :]])[len(block) :] if len(self._pending) > len(wet) else wet[len(block) :]
        return np.asarray(wet[: len(block)], dtype=np.float32)

    def flush(self) -> Samples:
        return self._pending.astype(np.float32)


@register
class Space(StepKind):
    """A room around the sound; its tail rings on after the end."""

    key, label, family, params = "space", "Space", "Space", SpaceParams
    version = 2
    moving = ("wet_db", "dry_db")

    def out_frames(self, params: SpaceParams, at: Context) -> int:
        longest = params.decay_s * max(1.0, params.low_ratio, params.high_ratio)
        return at.frames + math.ceil(longest * 1.15 * at.rate) + round(params.pre_delay_ms / 1000 * at.rate) - 1

    def lead(self, params: SpaceParams, at: Context) -> int:
        return self.out_frames(params, at) - at.frames

    def stream(self, params: SpaceParams, summary: Summary, at: Context, position: int) -> Stream:
        def level(name: str) -> Level:
            return lambda first, count: 10.0 ** (np.asarray(at.moved(name, getattr(params, name), first, count)) / 20).reshape(-1, 1)

        # what the wet follows is how much goes into the room, so that its tail rings on as it was
        return Convolution(response(params, at.rate, at.channels), level("wet_db"), level("dry_db"), position)
