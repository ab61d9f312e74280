"""What moves or displaces partials and level: ring modulation, frequency shift, phaser, moving filter, tremolo and auto-pan."""

from __future__ import annotations

import functools
import math

import numpy as np

from oskren.core.audio.places import sides
from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Following, Params, Picture, Reading, StepKind, Stream, Summary, register
from oskren.core.steps.compress import SETTLED
from oskren.core.steps.moving import WAVES, Phase, Reaching, keeps, share, wave
from oskren.core.types import Floats, Samples


class RingParams(Params):
    frequency_hz: float = number(180.0, 0.5, 12_000, "Hz", "Frequency", "log")
    shape: str = choice("sine", ["sine", "triangle", "square"], "Carrier")
    mix: float = number(1.0, 0, 1, "", "Mix")


@register
class Ring(StepKind):
    """Multiplies the sound by a tone: every partial becomes two, one higher and one lower by the frequency of the tone."""

    key, label, family, params = "ring", "Ring modulation", "Motion", RingParams
    words = "metallic robot alien bell clang inharmonic rougher machine"
    moving = ("frequency_hz", "mix")
    settings = {
        "bell from anything": {"frequency_hz": 740.0},
        "growl": {"frequency_hz": 38.0, "shape": "triangle", "mix": 0.8},
        "clockwork voice": {"frequency_hz": 90.0, "shape": "square", "mix": 0.5},
    }

    def stream(self, params: RingParams, summary: Summary, at: Context, position: int) -> Stream:
        phase = Phase(at, "frequency_hz", params.frequency_hz)

        def ringing(block: Samples, first: int) -> Samples:
            carrier = wave(phase.turns(first, len(block)), params.shape)[:, None]
            return np.asarray(block + share(at, "mix", params.mix, first, len(block)) * (block * carrier - block), np.float32)

        return Following(at, position, ringing)


@functools.lru_cache(maxsize=4)
def quarter_turn(rate: int) -> Floats:
    """Filter of odd length that turns every frequency by 90 degrees (a Hilbert transformer, Kaiser window), even from 40 Hz on."""
    half = 2 * round(rate * 0.016) + 1
    n = np.arange(-half, half + 1)
    taps = np.where(n % 2 != 0, 2 / (np.pi * np.where(n == 0, 1, n)), 0.0)
    return np.asarray(taps * np.kaiser(len(n), 8.0))


class ShiftParams(Params):
    shift_hz: float = number(-60.0, -5000, 5000, "Hz", "Shift", digits=1)
    mix: float = number(1.0, 0, 1, "", "Mix")


@register
class Shift(StepKind):
    """Moves every partial by the same number of Hz, not by the same interval, so that harmonic sounds become inharmonic."""

    key, label, family, params = "shift", "Frequency shift", "Motion", ShiftParams
    words = "inharmonic detune metallic alien strange bigger deeper unreal"
    moving = ("shift_hz", "mix")
    settings = {
        "a little wrong": {"shift_hz": 7.0},
        "sunk": {"shift_hz": -120.0},
        "beating with itself": {"shift_hz": 2.5, "mix": 0.5},
    }

    def lead(self, params: ShiftParams, at: Context) -> int:
        return len(quarter_turn(at.rate)) // 2

    def stream(self, params: ShiftParams, summary: Summary, at: Context, position: int) -> Stream:
        taps = quarter_turn(at.rate)
        reach = len(taps) // 2
        phase = Phase(at, "shift_hz", params.shift_hz)

        def shifted(held: Samples, first: int) -> Samples:
            from scipy.signal import oaconvolve

            middle = held[reach : len(held) - reach]
            turned = oaconvolve(held.astype(np.float64), taps[:, None], mode="valid", axes=0)
            angle = 2 * np.pi * phase.turns(first, len(middle))[:, None]
            wet = middle * np.cos(angle) - turned * np.sin(angle)
            return np.asarray(middle + share(at, "mix", params.mix, first, len(middle)) * (wet - middle), np.float32)

        return Reaching(reach, at.channels, position, shifted)


class PhaserParams(Params):
    stages: str = choice("6", ["2", "4", "6", "8", "12"], "Stages")
    low_hz: float = number(300.0, 30, 8000, "Hz", "Sweeps from", "log")
    high_hz: float = number(3000.0, 60, 16_000, "Hz", "Sweeps to", "log")
    rate_hz: float = number(0.3, 0.01, 10, "Hz", "Rate", "log", 2)
    feedback: float = number(0.4, -0.95, 0.95, "", "Feedback")
    apart: float = number(0.25, 0, 1, "", "Left and right apart")
    shape: str = choice("sine", WAVES, "Swings as")
    mix: float = number(0.5, 0, 1, "", "Mix")


def _all_pass(hz: Floats, rate: int) -> Floats:
    t = np.tan(np.pi * np.minimum(hz, 0.49 * rate) / rate)
    return np.asarray((t - 1) / (t + 1))


class Phasing:
    """All-passes whose turning point swings between two frequencies, evenly in pitch; against the dry sound they leave dips that sweep."""

    def __init__(self, params: PhaserParams, at: Context, position: int):
        self._params, self._at = params, at
        self._phase = Phase(at, "rate_hz", params.rate_hz)
        self._state = np.zeros((at.channels, int(params.stages) + 1))

    def __call__(self, block: Samples, first: int) -> Samples:
        from oskren.core.steps import kernels

        p, turns = self._params, self._phase.turns(first, len(block))
        swings = np.stack([wave(turns + p.apart * lane / 2, p.shape, lane) for lane in range(self._at.channels)], axis=1)
        hz = p.low_hz * (p.high_hz / p.low_hz) ** ((swings + 1) / 2)
        wet = np.ascontiguousarray(block, np.float64)
        kernels.all_passes(wet, np.ascontiguousarray(_all_pass(hz, self._at.rate)), p.feedback, int(p.stages), self._state)
        return np.asarray(block + share(self._at, "mix", p.mix, first, len(block)) * (wet - block), np.float32)


@register
class Phaser(StepKind):
    """Sweeps several unevenly spaced notches through the spectrum."""

    key, label, family, params = "phaser", "Phaser", "Motion", PhaserParams
    words = "sweep swirl hollow moving liquid dream"
    moving = ("rate_hz", "mix")
    settings = {
        "slow and deep": {"stages": "8", "rate_hz": 0.08, "feedback": 0.6},
        "bubbling": {"stages": "4", "rate_hz": 3.0, "low_hz": 200.0, "high_hz": 1200.0, "shape": "wander"},
        "bent": {"stages": "12", "rate_hz": 0.15, "feedback": -0.7, "apart": 1.0},
    }

    def lead(self, params: PhaserParams, at: Context) -> int:
        """Each all-pass forgets at its own turning point's pace; feedback sends what is left round again."""
        passes = 1 + SETTLED / max(0.05, -math.log(max(1e-9, abs(params.feedback))))
        each = 1 / (2 * math.pi * min(params.low_hz, params.high_hz)) * (SETTLED + int(params.stages))
        return math.ceil(each * passes * at.rate)

    def picture(self, params: PhaserParams, rate: int) -> Picture:
        """The dips where the sweep stands in its middle."""
        hz = np.geomspace(30, min(20_000, 0.49 * rate), 500)
        a = float(_all_pass(np.array([math.sqrt(params.low_hz * params.high_hz)]), rate)[0])
        z = np.exp(-2j * np.pi * hz / rate)
        row = ((a + z) / (1 + a * z)) ** int(params.stages)
        wet = row / (1 - params.feedback * z * row)
        return Picture.of("Hz", "dB", [Reading.of("", hz, 20 * np.log10(np.abs(1 + params.mix * (wet - 1)) + 1e-3))], y=(-40.0, 24.0), log=True)

    def stream(self, params: PhaserParams, summary: Summary, at: Context, position: int) -> Stream:
        return Following(at, position, Phasing(params, at, position))


class MovingParams(Params):
    kind: str = choice("low-pass", ["low-pass", "band-pass", "high-pass", "notch"], "Kind")
    cutoff_hz: float = number(800.0, 20, 20_000, "Hz", "Cut-off", "log")
    q: float = number(1.2, 0.3, 30, "", "Q", "log")
    follow_oct: float = number(0.0, -6, 6, "oct", "Follows the level by", digits=2)
    attack_ms: float = number(5.0, 0.1, 200, "ms", "Follows up within", "log")
    release_ms: float = number(150.0, 5, 2000, "ms", "Follows down within", "log", 0)
    swing_oct: float = number(0.0, 0, 5, "oct", "Swings by", digits=2)
    rate_hz: float = number(0.5, 0.01, 30, "Hz", "Swings at", "log", 2)
    shape: str = choice("sine", WAVES, "Swings as")
    mix: float = number(1.0, 0, 1, "", "Mix")


SHARES = {"low-pass": (1.0, 0.0, 0.0), "band-pass": (0.0, 1.0, 0.0), "high-pass": (0.0, 0.0, 1.0), "notch": (1.0, 0.0, 1.0)}
FOLLOWS_FROM_DB = -48.0
"""The follower's level at which it adds nothing; at full scale it adds all of its octaves."""


class MovingFilter:
    """A state-variable filter whose cut-off is set anew for every frame."""

    def __init__(self, params: MovingParams, at: Context, position: int):
        self._params, self._at = params, at
        self._phase = Phase(at, "rate_hz", params.rate_hz)
        self._followed, self._state = 1e-6, np.zeros((at.channels, 2))
        self._ways = keeps(params.attack_ms / 1000, at.rate), keeps(params.release_ms / 1000, at.rate)

    def __call__(self, block: Samples, first: int) -> Samples:
        from oskren.core.steps import kernels

        p, count = self._params, len(block)
        octaves = np.zeros(count)
        if p.follow_oct:
            level = np.maximum(np.abs(block).max(axis=1).astype(np.float64), 1e-6)
            self._followed = kernels.follow(level, *self._ways, self._followed)
            octaves += p.follow_oct * np.clip(1 - 20 * np.log10(level) / FOLLOWS_FROM_DB, 0, 1)
        if p.swing_oct:
            octaves += p.swing_oct * wave(self._phase.turns(first, count), p.shape)
        cutoff = np.asarray(self._at.moved("cutoff_hz", p.cutoff_hz, first, count)) * 2.0**octaves
        q = np.broadcast_to(np.asarray(self._at.moved("q", p.q, first, count), np.float64), (count,))
        g = np.tan(np.pi * np.clip(cutoff, 10, 0.45 * self._at.rate) / self._at.rate)
        wet = np.ascontiguousarray(block, np.float64)
        kernels.filter_svf(wet, np.ascontiguousarray(g), np.ascontiguousarray(1 / q), np.array(SHARES[p.kind]), self._state)
        return np.asarray(block + share(self._at, "mix", p.mix, first, count) * (wet - block), np.float32)


@register
class Moving(StepKind):
    """Filters the sound with a resonant filter whose cut-off follows the level, a slow oscillator, or a curve."""

    key, label, family, params = "moving_filter", "Moving filter", "Motion", MovingParams
    words = "sweep duller brighter opens closes resonant muffled talking underwater"
    moving = ("cutoff_hz", "q", "rate_hz", "mix")
    settings = {
        "opens with the hit": {"cutoff_hz": 300.0, "q": 2.0, "follow_oct": 4.0},
        "under water": {"cutoff_hz": 500.0, "swing_oct": 0.6, "rate_hz": 0.4, "shape": "wander"},
        "heron's throat": {"kind": "band-pass", "cutoff_hz": 900.0, "q": 8.0, "swing_oct": 1.2, "rate_hz": 5.0, "shape": "triangle"},
        "ducks away": {"kind": "low-pass", "cutoff_hz": 8000.0, "follow_oct": -5.0, "attack_ms": 2.0, "release_ms": 400.0},
    }

    def lead(self, params: MovingParams, at: Context) -> int:
        lowest: float = params.cutoff_hz * 2.0 ** -(abs(params.follow_oct) + params.swing_oct)
        follows = at.envelope("cutoff_hz")
        if follows is not None:
            lowest = min([lowest, *(value * 2.0 ** -(abs(params.follow_oct) + params.swing_oct) for _, value in follows.points)])
        moves = at.envelope("q")
        sharpest = max([params.q, *(value for _, value in (moves.points if moves else ()))])
        rings = SETTLED * max(1.0, 2 * sharpest) / (2 * math.pi * max(10.0, lowest))
        follows_s: float = max(params.attack_ms, params.release_ms) / 1000 * SETTLED if params.follow_oct else 0.0
        return math.ceil((rings + follows_s) * at.rate)

    def picture(self, params: MovingParams, rate: int) -> Picture:
        """The response at rest, and at both ends of its way where it moves by itself."""
        hz = np.geomspace(20, min(20_000, 0.49 * rate), 300)
        ways = {"": 0.0}
        if params.follow_oct or params.swing_oct:
            low, high = min(0.0, params.follow_oct) - params.swing_oct, max(0.0, params.follow_oct) + params.swing_oct
            ways = {"lowest": low, "": 0.0, "highest": high}
        lines = []
        for name, octaves in ways.items():
            s = 1j * np.tan(np.pi * hz / rate) / math.tan(math.pi * min(max(params.cutoff_hz * 2**octaves, 10), 0.45 * rate) / rate)
            a, b, c = SHARES[params.kind]
            answer = (a + b * s / params.q + c * s * s) / (1 + s / params.q + s * s)
            lines.append(Reading.of(name, hz, 20 * np.log10(np.abs(1 + params.mix * (answer - 1)) + 1e-4)))
        return Picture.of("Hz", "dB", lines, y=(-48.0, 30.0), log=True)

    def stream(self, params: MovingParams, summary: Summary, at: Context, position: int) -> Stream:
        return Following(at, position, MovingFilter(params, at, position))


class TremoloParams(Params):
    depth: float = number(0.6, 0, 1, "", "Depth")
    rate_hz: float = number(5.0, 0.05, 40, "Hz", "Rate", "log", 2)
    shape: str = choice("sine", WAVES, "Swings as")


@register
class Tremolo(StepKind):
    """Moves the level down and up again at a steady rate. It never goes over the level of the sound."""

    key, label, family, params = "tremolo", "Tremolo", "Motion", TremoloParams
    words = "flutter shaking pulse stutter alive trembling chop"
    moving = ("depth", "rate_hz")
    settings = {
        "flutter": {"rate_hz": 14.0, "depth": 0.8, "shape": "triangle"},
        "chopped": {"rate_hz": 8.0, "depth": 1.0, "shape": "square"},
        "uneasy": {"rate_hz": 3.0, "depth": 0.7, "shape": "wander"},
    }

    def picture(self, params: TremoloParams, rate: int) -> Picture:
        turns = np.linspace(0, 3, 300)
        gain = 1 - params.depth * (1 - wave(turns, params.shape)) / 2
        return Picture.of("s", "dB", [Reading.of("", turns / params.rate_hz, 20 * np.log10(np.maximum(gain, 1e-3)))], y=(-40.0, 3.0))

    def stream(self, params: TremoloParams, summary: Summary, at: Context, position: int) -> Stream:
        phase = Phase(at, "rate_hz", params.rate_hz)

        def trembling(block: Samples, first: int) -> Samples:
            swing = wave(phase.turns(first, len(block)), params.shape).reshape(-1, 1)
            return np.asarray(block * (1 - share(at, "depth", params.depth, first, len(block)) * (1 - swing) / 2), np.float32)

        return Following(at, position, trembling)


class AutoPanParams(Params):
    depth: float = number(0.8, 0, 1, "", "Depth")
    rate_hz: float = number(0.5, 0.01, 20, "Hz", "Rate", "log", 2)
    shape: str = choice("sine", WAVES, "Swings as")
    start: float = number(0.0, 0, 1, "turn", "Begins at", digits=2)


@register
class AutoPan(StepKind):
    """Moves the sound between left and right at equal power. Mono becomes stereo; more than two channels pass unchanged."""

    key, label, family, params = "auto_pan", "Auto-pan", "Motion", AutoPanParams
    words = "moving circle around wander side flying passes by"
    moving = ("depth", "rate_hz")
    settings = {
        "circling": {"rate_hz": 0.3, "depth": 1.0},
        "nervous": {"rate_hz": 2.0, "depth": 0.6, "shape": "wander"},
        "once across": {"rate_hz": 0.2, "depth": 1.0, "shape": "triangle", "start": 0.75},
    }

    def picture(self, params: AutoPanParams, rate: int) -> Picture:
        """Where it is heard, right above, left below."""
        turns = np.linspace(0, 3, 300)
        place = params.depth * wave(turns + params.start, params.shape)
        return Picture.of("s", "left to right", [Reading.of("", turns / params.rate_hz, place)], y=(-1.1, 1.1))

    def out_channels(self, params: AutoPanParams, channels: int) -> int:
        return max(2, channels)

    def stream(self, params: AutoPanParams, summary: Summary, at: Context, position: int) -> Stream:
        phase = Phase(at, "rate_hz", params.rate_hz)

        def panned(block: Samples, first: int) -> Samples:
            if at.channels > 2:
                return block
            depth = np.asarray(np.clip(at.moved("depth", params.depth, first, len(block)), 0, 1))
            pan = depth * wave(phase.turns(first, len(block)) + params.start, params.shape)
            left, right = sides(pan, at.channels)
            return np.stack([block[:, 0] * left, block[:, -1] * right], axis=1).astype(np.float32)

        return Panning(at, position, panned)


class Panning(Following):
    """A following stream with at least two channels."""

    def flush(self) -> Samples:
        return np.zeros((0, max(2, self._channels)), np.float32)
