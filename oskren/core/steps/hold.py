"""A moment of a sound held."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.audio.seams import joined
from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Params, StepKind, register
from oskren.core.steps.spectral import put_together, spectra_of
from oskren.core.timemap import TimeMap
from oskren.core.types import Floats, Samples


class HoldParams(Params):
    at_s: float = number(0.3, 0, 600, "s", "Holds at", digits=3, place=True)
    hold_s: float = number(2.0, 0.1, 60, "s", "For", "log", 2)
    blur_ms: float = number(60.0, 0, 500, "ms", "Heard from around", digits=0)
    then: str = choice("goes on", ["goes on", "ends"], "Then it")
    fade_ms: float = number(60.0, 5, 1000, "ms", "Crossfades", "log", 0)


@register
class Hold(StepKind):
    """Holds the spectrum of one moment for as long as wanted, as a tone or a bed."""

    key, label, family, params, whole, keeps_time = "hold", "Spectral hold", "Length", HoldParams, True, False
    words = "freeze longer sustain drone bed tone infinite pad"
    settings = {"four seconds": {"hold_s": 4.0}, "bed without an attack": {"hold_s": 12.0, "blur_ms": 300.0, "then": "ends", "fade_ms": 400.0}}

    def version_of(self, params: HoldParams) -> int:
        """Crossfades of a single frame were left out once."""
        return 2 if params.at_s < 0.0002 else 1

    def _at(self, params: HoldParams, at: Context) -> tuple[int, int, int]:
        """Moment, length and crossfade in frames; a crossfade reaches into both sides."""
        where = int(np.clip(round(at.carry(params.at_s) * at.rate), 1, at.frames))
        held = round(params.hold_s * at.rate)
        return where, held, min(round(params.fade_ms / 1000 * at.rate), held // 3, where)

    def out_frames(self, params: HoldParams, at: Context) -> int:
        where, held, fade = self._at(params, at)
        return where + held - fade if params.then == "ends" else at.frames + held - fade - min(fade, at.frames - where)

    def time_map(self, params: HoldParams, at: Context) -> TimeMap:
        where, held, fade = self._at(params, at)
        here, hair = where / at.rate, 1e-6
        added = max(hair, (held - fade - min(fade, at.frames - where)) / at.rate)
        return TimeMap((0.0, here, here + added + hair, here + added + hair + 1), (0.0, here, here + hair, here + hair + 1))

    def run(self, params: HoldParams, samples: Samples, at: Context) -> Samples:
        where, held, fade = self._at(params, at)
        sustained = np.stack([_sustained(samples[:, lane].astype(np.float64), where, held, fade, params, at.rate, lane) for lane in range(at.channels)], axis=1)
        out = joined(samples[:where], sustained.astype(np.float32), fade)
        if params.then == "ends":
            fall = np.cos(np.pi / 2 * (np.arange(fade) + 0.5) / max(1, fade))[:, None]
            out[len(out) - fade :] *= fall.astype(np.float32)
            return np.ascontiguousarray(out)
        return np.ascontiguousarray(joined(out, samples[where:], fade))


def _sustained(samples: Floats, where: int, frames: int, fade: int, params: HoldParams, rate: int, lane: int) -> Floats:
    """A spectrum held: the power of the cells around a moment, the phases running on at the frequency each cell had there.

    Phases begin as the sound has them a crossfade before the moment, and frequencies are bent by less than half a turn over the whole, so
    that they end as it has them at the moment: both crossfades meet in step. Where no cell has a frequency of its own (noise) the
    phases are drawn anew at every frame, so that it stays noise.
    """
    size = 1 << max(9, round(math.log2(rate * 0.085)))
    hop = size // 4
    blur = round(params.blur_ms / 1000 * rate)
    first = max(0, min(where - size // 2 - blur // 2, len(samples) - size - hop - blur))
    stretch = samples[first : first + size + hop + blur]
    stretch = np.concatenate([stretch, np.zeros(max(0, size + hop + blur - len(stretch)))])
    near = spectra_of(stretch, size, max(1, hop // 4))
    power = np.sqrt(np.mean(np.abs(near) ** 2, axis=0))
    step = max(1, hop // 4)
    bins = np.arange(size // 2 + 1)
    expected = 2 * np.pi * bins * step / size
    if len(near) > 1:
        turned = near[1:] * np.conj(near[:-1]) * np.exp(-1j * expected)
        mean = turned.sum(axis=0)
        steady = np.abs(mean) / np.maximum(np.abs(turned).sum(axis=0), 1e-12)
        frequency = (expected + np.angle(mean)) / step
    else:
        steady, frequency = np.zeros(len(bins)), expected / step
    # one partial is heard in several cells: they all run on with that of the loudest beside them
    beside = np.lib.stride_tricks.sliding_window_view(np.pad(power, 2), 5)
    loudest = np.clip(bins - 2 + np.argmax(beside, axis=1), 0, len(bins) - 1)
    frequency, steady = frequency[loudest], steady[loudest]
    begin = np.angle(near[0]) + frequency * (where - fade - first)
    until = max(1, frames - fade)
    frequency = frequency + (np.remainder(frequency * (fade - until) + np.pi, 2 * np.pi) - np.pi) / until
    count = math.ceil(frames / hop) + 5
    random = np.random.Generator(np.random.PCG64(911 + lane))
    run_on = begin[None, :] + (np.arange(count)[:, None] - 2) * hop * frequency[None, :]
    drawn = random.uniform(0, 2 * np.pi, (count, len(bins)))
    tone = np.clip((steady - 0.7) / 0.25, 0, 1)
    spectra = power * (np.sqrt(tone) * np.exp(1j * run_on) + np.sqrt(1 - tone) * np.exp(1j * drawn))
    out = put_together(spectra, size, hop)[2 * hop : 2 * hop + frames]
    wanted = math.sqrt(float(np.mean(stretch**2)))
    have = math.sqrt(float(np.mean(out**2)))
    return out * (wanted / have if have > 1e-12 else 0.0)
