"""Dynamics that shape: a compressor, and a shaper of attack and sustain that does not mind the level."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.measure.levels import loudest
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, Stream, Summary, register
from oskren.core.steps.moving import column, keeps, share
from oskren.core.types import Floats, Samples

FLOOR_DB = -120.0
SETTLED = math.log(1e6)
"""Time constants after which a follower has forgotten where it began (-120 dB)."""


class CompressorParams(Params):
    threshold_db: float = number(-18.0, -60, 0, "dBFS", "Threshold")
    ratio: float = number(4.0, 1, 40, ": 1", "Ratio", "log")
    knee_db: float = number(6.0, 0, 24, "dB", "Knee")
    attack_ms: float = number(10.0, 0.05, 200, "ms", "Attack", "log", 2)
    release_ms: float = number(120.0, 5, 2000, "ms", "Release", "log", 0)
    look_ahead_ms: float = number(0.0, 0, 10, "ms", "Look-ahead")
    makeup_db: float = number(0.0, -12, 36, "dB", "Make-up gain")
    mix: float = number(1.0, 0, 1, "", "Mix")
    hears: str = choice("peaks", ["peaks", "power"], "Hears")


def reduction_db(level_db: Floats, threshold_db: float | Floats, ratio: float, knee_db: float) -> Floats:
    """What a compressor takes away (dB, 0 or less) of a level that stays: the static curve with a quadratic knee.

    Source: Giannoulis, Massberg, Reiss, "Digital Dynamic Range Compressor Design - A Tutorial and Analysis", JAES 60 (6), 2012, eq. 4.
    """
    over = level_db - threshold_db
    slope = 1 / ratio - 1
    knee = max(knee_db, 1e-9)
    return np.asarray(np.where(2 * over < -knee, 0.0, np.where(2 * over > knee, slope * over, slope * (over + knee / 2) ** 2 / (2 * knee))))


class Compressing:
    """Gain from the highest channel, so that a place does not wander; smoothed in dB (the smooth branching detector of the source above).

    Looking ahead the gain is that of a moment later: it turns down before the attack comes.
    """

    def __init__(self, params: CompressorParams, at: Context, position: int):
        self._params, self._at, self._here = params, at, position
        self._ahead = round(params.look_ahead_ms / 1000 * at.rate)
        self._attack, self._release = (keeps(ms / 1000, at.rate) for ms in (params.attack_ms, params.release_ms))
        self._power = 0.0
        self._peaks: Floats = np.zeros(2 * round(HELD_S / 2 * at.rate))
        self._taken = 0.0
        self._held: Samples = np.zeros((0, at.channels), np.float32)
        self._gains: Floats = np.zeros(0)
        self._skip = self._ahead
        self._fed = position

    def _levels(self, block: Samples) -> Floats:
        from oskren.core.steps import kernels

        if self._params.hears == "peaks":
            from scipy.ndimage import maximum_filter1d

            peaks = np.concatenate([self._peaks, loudest(block).astype(np.float64)])
            count = len(self._peaks)
            self._peaks = peaks[len(peaks) - count :]
            # the highest of the frame itself and those before it
            held = maximum_filter1d(peaks, count + 1, origin=count // 2, mode="nearest")[count:]
            return np.asarray(20 * np.log10(np.maximum(held, 1e-6)))
        power = np.square(block, dtype=np.float64).max(axis=1)
        kept = keeps(POWER_S, self._at.rate)
        self._power = kernels.follow(power, kept, kept, self._power)
        return np.asarray(10 * np.log10(np.maximum(2 * power, 1e-12)))  # a sine reads as its peak

    def push(self, block: Samples) -> Samples:
        from oskren.core.steps import kernels

        if not len(block):
            return block
        threshold = self._at.moved("threshold_db", self._params.threshold_db, self._fed, len(block))
        taken = -reduction_db(self._levels(block), threshold, self._params.ratio, self._params.knee_db)
        self._taken = kernels.follow(taken, self._attack, self._release, self._taken)
        self._fed += len(block)
        self._held, self._gains = np.concatenate([self._held, block]), np.concatenate([self._gains, -taken])
        drop = min(self._skip, len(self._gains))
        self._skip, self._gains = self._skip - drop, self._gains[drop:]
        return self._give(len(self._gains))

    def _give(self, ready: int) -> Samples:
        block, gains = self._held[:ready], self._gains[:ready]
        self._held, self._gains = self._held[ready:], self._gains[ready:]
        makeup = self._at.moved("makeup_db", self._params.makeup_db, self._here, ready)
        mix = share(self._at, "mix", self._params.mix, self._here, ready)
        self._here += ready
        return np.asarray(block * (1 + mix * (column(gains + makeup) - 1)), dtype=np.float32)

    def flush(self) -> Samples:
        rest = len(self._held) - len(self._gains)
        last = self._gains[-1] if len(self._gains) else -self._taken
        self._gains = np.concatenate([self._gains, np.full(rest, last)])
        return self._give(len(self._held))


POWER_S = 0.01
"""Time constant of the power a compressor hears."""

HELD_S = 0.01
"""How long it keeps the peaks it hears: a tone from 50 Hz on is as loud to it as its peaks, all the time."""


@register
class Compressor(StepKind):
    """Turns the level down while it is over a threshold, so that loud and quiet parts come closer together."""

    key, label, family, params, version = "compressor", "Compressor", "Dynamics", CompressorParams, 2
    words = "denser louder fatter glue squash even punch control"
    moving = ("threshold_db", "makeup_db", "mix")
    settings = {
        "gentle": {"threshold_db": -20.0, "ratio": 2.0, "knee_db": 12.0, "attack_ms": 20.0, "release_ms": 200.0},
        "let the hit through": {"threshold_db": -24.0, "ratio": 5.0, "attack_ms": 30.0, "release_ms": 90.0, "makeup_db": 4.0},
        "flat as glass": {"threshold_db": -36.0, "ratio": 20.0, "knee_db": 3.0, "attack_ms": 0.5, "release_ms": 60.0, "look_ahead_ms": 2.0, "makeup_db": 15.0},
        "dense beside the dry": {"threshold_db": -40.0, "ratio": 12.0, "attack_ms": 1.0, "release_ms": 150.0, "makeup_db": 18.0, "mix": 0.4},
    }

    def picture(self, params: CompressorParams, rate: int) -> Picture:
        level = np.linspace(-60.0, 0.0, 121)
        out = level + reduction_db(level, params.threshold_db, params.ratio, params.knee_db)
        wet = 10 ** ((out + params.makeup_db) / 20) * params.mix + 10 ** (level / 20) * (1 - params.mix)
        return Picture.of("dBFS in", "dBFS out", [Reading.of("", level, 20 * np.log10(wet))], y=(-60.0, 0.0), diagonal=True)

    def lead(self, params: CompressorParams, at: Context) -> int:
        slowest = max(params.attack_ms, params.release_ms) / 1000 * SETTLED + (POWER_S * SETTLED if params.hears == "power" else 0.0)
        return math.ceil((slowest + HELD_S + 2 * params.look_ahead_ms / 1000) * at.rate)

    def stream(self, params: CompressorParams, summary: Summary, at: Context, position: int) -> Stream:
        return Compressing(params, at, position)


class ShaperParams(Params):
    attack_db: float = number(6.0, -24, 24, "dB", "Attack")
    sustain_db: float = number(0.0, -24, 24, "dB", "Sustain")
    attack_ms: float = number(20.0, 2, 120, "ms", "Attack lasts", "log", 0)
    sustain_ms: float = number(250.0, 30, 1500, "ms", "Sustain after", "log", 0)
    output_db: float = number(0.0, -24, 12, "dB", "Output")


FULL_DB = 12.0
"""How far a quick follower must be above a slow one for the whole of a change."""

QUICK_S = 0.001


class Shaping:
    """Two pairs of followers of the level: one quick and one slow to rise tell attacks, one slow and one quick to fall tell what sustains."""

    def __init__(self, params: ShaperParams, at: Context, position: int):
        self._params, self._at, self._here = params, at, position
        quick, slow, fall, long = (
            keeps(seconds, at.rate) for seconds in (QUICK_S, params.attack_ms / 1000, params.sustain_ms / 4000, params.sustain_ms / 1000)
        )
        self._ways = ((quick, long), (slow, long), (quick, fall))
        self._states = [1e-6, 1e-6, 1e-6]

    def push(self, block: Samples) -> Samples:
        from oskren.core.steps import kernels

        if not len(block):
            return block
        top = np.maximum(np.abs(block).max(axis=1).astype(np.float64), 1e-6)
        followed = [top.copy() for _ in self._ways]
        for i, (values, (rising, falling)) in enumerate(zip(followed, self._ways, strict=True)):
            self._states[i] = kernels.follow(values, rising, falling, self._states[i])
        quick, slow, falling_fast = followed
        rises = np.clip(20 * np.log10(quick / np.maximum(slow, 1e-9)) / FULL_DB, 0, 1)
        rings = np.clip(20 * np.log10(quick / np.maximum(falling_fast, 1e-9)) / FULL_DB, 0, 1)
        change = [self._at.moved(name, getattr(self._params, name), self._here, len(block)) for name in ("attack_db", "sustain_db", "output_db")]
        self._here += len(block)
        return np.asarray(block * column(change[0] * rises + change[1] * rings + change[2]), dtype=np.float32)

    def flush(self) -> Samples:
        return np.zeros((0, self._at.channels), np.float32)


@register
class Shaper(StepKind):
    """Raises or lowers attacks and the sound after them, whatever the level of the sound is."""

    key, label, family, params = "shaper", "Transient shaper", "Dynamics", ShaperParams
    words = "punch snap harder softer attack click bite tighter longer sustain shorter"
    moving = ("attack_db", "sustain_db", "output_db")
    settings = {
        "more bite": {"attack_db": 9.0, "sustain_db": -3.0, "attack_ms": 12.0},
        "soft hands": {"attack_db": -9.0, "sustain_db": 2.0},
        "dry and short": {"attack_db": 2.0, "sustain_db": -15.0, "sustain_ms": 150.0},
        "rings on": {"attack_db": -2.0, "sustain_db": 9.0, "sustain_ms": 600.0},
    }

    def lead(self, params: ShaperParams, at: Context) -> int:
        return math.ceil(max(params.sustain_ms, params.attack_ms) / 1000 * SETTLED * at.rate)

    def picture(self, params: ShaperParams, rate: int) -> Picture:
        """A knock that decays by 60 dB in 0.6 s, and its level before and after."""
        time = np.arange(round(0.7 * 8000)) / 8000
        knock = (np.where(time < 0.05, 0.0, 10.0 ** (-(time - 0.05) * 5))).astype(np.float32)[:, None]
        out = Shaping(params, Context(8000, 1, len(knock)), 0).push(knock)
        before, after = (20 * np.log10(np.maximum(np.abs(one[::16, 0]), 1e-3)) for one in (knock, out))
        return Picture.of("s", "dBFS", [Reading.of("before", time[::16], before), Reading.of("after", time[::16], after)], y=(-60.0, 24.0))

    def stream(self, params: ShaperParams, summary: Summary, at: Context, position: int) -> Stream:
        return Shaping(params, at, position)
