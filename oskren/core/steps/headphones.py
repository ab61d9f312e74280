"""Listening to surround and ambisonic sounds on headphones."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from oskren.core.audio.headphones import BEFORE_S, LONG_S, responses
from oskren.core.steps.base import Context, Params, StepKind, Stream, Summary, register
from oskren.core.types import Samples


class HeadphonesParams(Params):
    silent: tuple[int, ...] = Field((), max_length=64, title="Channels that are not heard")


class Ears:
    """Blocks of all channels as both ears hear them, each with its response; as long as what goes in."""

    def __init__(self, taps: Samples, before: int, channels: int):
        self._taps, self._before = taps, before
        self._held: Samples = np.zeros((taps.shape[2] - 1 - before, channels), np.float32)

    def push(self, block: Samples) -> Samples:
        from scipy import fft

        held, size = np.concatenate([self._held, block]), self._taps.shape[2]
        if len(held) < size:
            self._held = held
            return np.zeros((0, 2), np.float32)
        self._held = held[len(held) - size + 1 :]
        # round the circle comes only what is cut off: the first frames of the result, as many as the responses are long
        count = fft.next_fast_len(len(held), real=True)
        lanes = fft.rfft(held.astype(np.float64), count, axis=0)
        ears = np.einsum("fc,cef->fe", lanes, fft.rfft(self._taps, count, axis=2), optimize=True)
        return np.asarray(fft.irfft(ears, count, axis=0)[size - 1 : len(held)], np.float32)

    def flush(self) -> Samples:
        return self.push(np.zeros((self._before, self._held.shape[1]), np.float32))


@register
class Headphones(StepKind):
    """Every loudspeaker of the sound's layout as it is heard round a spherical head. For listening: files are not changed by it."""

    key, label, family, params, offered = "headphones", "On headphones", "Level", HeadphonesParams, False

    def out_channels(self, params: HeadphonesParams, channels: int) -> int:
        return 2

    def lead(self, params: HeadphonesParams, at: Context) -> int:
        return round(LONG_S * at.rate)

    def stream(self, params: HeadphonesParams, summary: Summary, at: Context, position: int) -> Stream:
        taps = responses(at.named, at.channels, at.rate).copy()
        taps[[lane for lane in params.silent if 0 <= lane < at.channels]] = 0.0
        return Ears(taps, round(BEFORE_S * at.rate), at.channels)
