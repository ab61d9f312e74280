"""Delay lines: echoes with filters in the loop, chorus and flanger."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, Stream, Summary, register
from oskren.core.steps.moving import WAVES, Phase, column, share, wave
from oskren.core.types import Floats, Samples

TAIL_DB = 80.0
"""Echoes ring on until they have fallen by this."""

LONGEST_TAIL_S = 60.0


class DelayParams(Params):
    time_ms: float = number(250.0, 1, 4000, "ms", "Time", "log", 2)
    feedback: float = number(0.4, 0, 0.98, "", "Feedback")
    low_cut_hz: float = number(60.0, 5, 2000, "Hz", "Lows of echoes cut", "log")
    high_cut_hz: float = number(8000.0, 200, 40_000, "Hz", "Highs of echoes cut", "log")
    sides: str = choice("straight", ["straight", "from side to side"], "Echoes go")
    wet_db: float = number(-6.0, -60, 6, "dB", "Wet")
    dry_db: float = number(0.0, -60, 6, "dB", "Dry")


class Echoing:
    """A delay line whose output is filtered, heard, and goes back into it: each echo went through the filters once more than the one before."""

    def __init__(self, params: DelayParams, at: Context, position: int, delay: int, tail: int):
        self._params, self._at, self._here, self._begun = params, at, position, 0
        self._delay, self._tail, self._position = delay, tail, position
        self._line = np.zeros((delay + 1, at.channels))
        self._state = np.zeros((at.channels, 2))
        turn = np.eye(at.channels)
        if params.sides != "straight" and at.channels > 1:
            turn = np.eye(at.channels)[[lane ^ 1 if (lane ^ 1) < at.channels else lane for lane in range(at.channels)]]
        self._turn = np.ascontiguousarray(turn * params.feedback)
        self._low, self._high = (math.exp(-2 * math.pi * min(hz, 0.49 * at.rate) / at.rate) for hz in (params.high_cut_hz, params.low_cut_hz))

    def push(self, block: Samples) -> Samples:
        return self._run(block)

    def _run(self, block: Samples) -> Samples:
        from oskren.core.steps import kernels

        if not len(block):
            return block
        count, p = len(block), self._params
        fed = np.ascontiguousarray(block * column(self._at.moved("wet_db", p.wet_db, self._here, count)), np.float64)
        if p.sides != "straight" and self._at.channels == 2:  # what comes in begins on the left
            fed[:, 0], fed[:, 1] = fed.sum(axis=1) / math.sqrt(2), 0.0
        kernels.echo(fed, self._line, self._delay, self._turn, self._low, self._high, self._state, self._begun)
        out = fed + block * column(self._at.moved("dry_db", p.dry_db, self._here, count))
        self._here, self._begun = self._here + count, self._begun + count
        return np.asarray(out, dtype=np.float32)

    def flush(self) -> Samples:
        return self._run(np.zeros((self._tail, self._at.channels), np.float32))


@register
class Delay(StepKind):
    """Repeats the sound as echoes, each duller and thinner than the one before. They ring on after the end."""

    key, label, family, params, version = "delay", "Delay", "Space", DelayParams, 2
    words = "echo repeat further away bounce slap rhythm canyon"
    moving = ("wet_db", "dry_db")
    settings = {
        "slap from a wall": {"time_ms": 110.0, "feedback": 0.0, "wet_db": -9.0},
        "long corridor": {"time_ms": 340.0, "feedback": 0.55, "high_cut_hz": 3000.0, "low_cut_hz": 180.0, "sides": "from side to side"},
        "metal pipe": {"time_ms": 7.0, "feedback": 0.86, "high_cut_hz": 9000.0, "wet_db": -9.0},
        "tide cave": {"time_ms": 620.0, "feedback": 0.72, "high_cut_hz": 1500.0, "wet_db": -8.0},
    }

    def _delay(self, params: DelayParams, at: Context) -> int:
        return max(1, round(params.time_ms / 1000 * at.rate))

    def _passes(self, params: DelayParams, down_db: float) -> int:
        return 1 if params.feedback < 1e-4 else 1 + math.ceil(down_db / (-20 * math.log10(params.feedback)))

    def _tail(self, params: DelayParams, at: Context) -> int:
        """Frames of echoes after the end; the filters in the loop add a little."""
        return min(self._delay(params, at) * self._passes(params, TAIL_DB), round(LONGEST_TAIL_S * at.rate))

    def out_frames(self, params: DelayParams, at: Context) -> int:
        return at.frames + self._tail(params, at)

    def lead(self, params: DelayParams, at: Context) -> int:
        settled = at.rate / (2 * math.pi * params.low_cut_hz) * math.log(1e6)
        return math.ceil(self._delay(params, at) * self._passes(params, 120.0) + settled)

    def picture(self, params: DelayParams, rate: int) -> Picture:
        at = Context(16_000, 1, 1)
        wide = params.model_copy(update={"dry_db": params.dry_db, "sides": "straight"})
        knock = np.zeros((1, 1), np.float32)
        knock[0] = 1.0
        delay, seconds = self._delay(wide, at), min(6.0, max(0.1, 8 * params.time_ms / 1000))
        stream = Echoing(wide, at, 0, delay, round(seconds * 16_000))
        out = np.concatenate([stream.push(knock), stream.flush()])[:, 0]
        step = max(1, len(out) // 600)
        tops = np.abs(out[: len(out) // step * step]).reshape(-1, step).max(axis=1)
        time = np.arange(len(tops)) * step / 16_000
        return Picture.of("s", "dB", [Reading.of("", time, 20 * np.log10(np.maximum(tops, 1e-4)))], y=(-60.0, 6.0))

    def stream(self, params: DelayParams, summary: Summary, at: Context, position: int) -> Stream:
        return Echoing(params, at, position, self._delay(params, at), self._tail(params, at))


class Sweeping:
    """Voices that read a line at places that swing; channel and voice by channel and voice a part of a turn apart."""

    def __init__(
        self,
        at: Context,
        position: int,
        *,
        centre_ms: float,
        depth_ms: float,
        rate: Phase,
        shape: str,
        voices: int,
        apart: float,
        feedback: float,
        mix: float,
    ):
        self._at, self._here, self._rate, self._shape = at, position, rate, shape
        self._centre, self._depth = centre_ms / 1000 * at.rate, depth_ms / 1000 * at.rate
        self._voices, self._apart, self._feedback, self._mix = voices, apart, feedback, mix
        self._before = np.zeros((at.channels, math.ceil(self._centre + self._depth) + 8))

    def push(self, block: Samples) -> Samples:
        from oskren.core.steps import kernels

        if not len(block):
            return block
        lead, count = self._before.shape[1], len(block)
        line = np.empty((len(self._before), lead + count))
        line[:, :lead], line[:, lead:] = self._before, block.T
        out = np.empty((len(line), count))
        kernels.sweep(line, self._swings(count), self._centre, self._feedback, lead, out)
        self._before = line[:, -lead:].copy()
        mix = share(self._at, "mix", self._mix, self._here, count)
        self._here += count
        return np.asarray(block + mix * (out.T - block), dtype=np.float32)

    def _swings(self, count: int) -> Floats:
        """How much later than the centre each voice is, in frames: shape (channels, voices, count)."""
        turns = self._rate.turns(self._here, count)
        swings = np.empty((self._at.channels, self._voices, count))
        if self._shape == "sine":  # one sine and one cosine for all, each voice a turn of them
            part = 2 * np.pi * (turns - np.floor(turns))
            sines = self._depth * np.stack([np.sin(part), np.cos(part)])
        for channel in range(self._at.channels):
            for voice in range(self._voices):
                ahead = self._apart * channel / 2 + voice / self._voices
                if self._shape == "sine":
                    turn = 2 * math.pi * ahead
                    np.dot([math.cos(turn), math.sin(turn)], sines, out=swings[channel, voice])
                else:
                    swings[channel, voice] = self._depth * wave(turns + ahead, self._shape, voice + 10 * channel)
        return swings

    def flush(self) -> Samples:
        return np.zeros((0, self._at.channels), np.float32)


class ChorusParams(Params):
    voices: str = choice("3", ["1", "2", "3", "4", "6"], "Voices")
    centre_ms: float = number(16.0, 3, 60, "ms", "Delay", "log")
    depth_ms: float = number(3.0, 0.05, 20, "ms", "Depth", "log", 2)
    rate_hz: float = number(0.5, 0.02, 12, "Hz", "Rate", "log", 2)
    apart: float = number(0.5, 0, 1, "", "Left and right apart")
    mix: float = number(0.5, 0, 1, "", "Mix")


@register
class Chorus(StepKind):
    """Mixes the sound with slightly delayed copies whose delays move slowly, so that one voice sounds like several."""

    key, label, family, params = "chorus", "Chorus", "Motion", ChorusParams
    words = "wider several many swarm thicker bigger detune ensemble softer"
    moving = ("rate_hz", "mix")
    settings = {
        "two of it": {"voices": "1", "centre_ms": 20.0, "depth_ms": 2.0, "rate_hz": 0.3},
        "flock": {"voices": "6", "centre_ms": 28.0, "depth_ms": 6.0, "rate_hz": 0.8, "apart": 1.0, "mix": 0.7},
        "seasick": {"voices": "1", "centre_ms": 30.0, "depth_ms": 9.0, "rate_hz": 0.4, "mix": 1.0},
    }

    def picture(self, params: ChorusParams, rate: int) -> Picture:
        """How late each copy is."""
        turns, count = np.linspace(0, 2, 200), int(params.voices)
        lines = [
            Reading.of(str(voice + 1), turns / params.rate_hz, params.centre_ms + params.depth_ms * wave(turns + voice / count, "sine"))
            for voice in range(count)
        ]
        return Picture.of("s", "ms late", lines, y=(0.0, max(1.0, 1.2 * (params.centre_ms + params.depth_ms))))

    def lead(self, params: ChorusParams, at: Context) -> int:
        return math.ceil((params.centre_ms + params.depth_ms) / 1000 * at.rate) + 8

    def stream(self, params: ChorusParams, summary: Summary, at: Context, position: int) -> Stream:
        return Sweeping(
            at,
            position,
            centre_ms=params.centre_ms,
            depth_ms=min(params.depth_ms, params.centre_ms),
            rate=Phase(at, "rate_hz", params.rate_hz),
            shape="sine",
            voices=int(params.voices),
            apart=params.apart,
            feedback=0.0,
            mix=params.mix,
        )


class FlangerParams(Params):
    centre_ms: float = number(2.0, 0.1, 15, "ms", "Delay", "log", 2)
    depth_ms: float = number(1.5, 0, 15, "ms", "Depth", digits=2)
    rate_hz: float = number(0.2, 0.01, 10, "Hz", "Rate", "log", 2)
    feedback: float = number(0.5, -0.95, 0.95, "", "Feedback")
    apart: float = number(0.25, 0, 1, "", "Left and right apart")
    shape: str = choice("sine", WAVES, "Swings as")
    mix: float = number(0.5, 0, 1, "", "Mix")


@register
class Flanger(StepKind):
    """Mixes the sound with a slowly moving, very short delay of itself: a comb filter that sweeps."""

    key, label, family, params = "flanger", "Flanger", "Motion", FlangerParams
    words = "sweep whoosh metallic hollow comb moving"
    moving = ("rate_hz", "mix")
    settings = {
        "slow tide": {"centre_ms": 3.0, "depth_ms": 2.8, "rate_hz": 0.07, "feedback": 0.6},
        "glass tube": {"centre_ms": 0.8, "depth_ms": 0.2, "rate_hz": 0.3, "feedback": 0.9, "mix": 0.6},
        "shaken": {"centre_ms": 1.5, "depth_ms": 1.2, "rate_hz": 6.0, "feedback": -0.4, "shape": "wander"},
    }

    def lead(self, params: FlangerParams, at: Context) -> int:
        longest = (params.centre_ms + params.depth_ms) / 1000 * at.rate + 8
        passes = 1 if abs(params.feedback) < 1e-3 else 1 + math.log(1e6) / -math.log(abs(params.feedback))
        return math.ceil(longest * passes)

    def picture(self, params: FlangerParams, rate: int) -> Picture:
        """The comb where the delay stands at the middle of its way."""
        hz = np.geomspace(50, 16_000, 500)
        late = np.exp(-2j * np.pi * hz * params.centre_ms / 1000)
        wet = late / (1 - params.feedback * late)
        return Picture.of("Hz", "dB", [Reading.of("", hz, 20 * np.log10(np.abs(1 + params.mix * (wet - 1)) + 1e-3))], y=(-40.0, 24.0), log=True)

    def stream(self, params: FlangerParams, summary: Summary, at: Context, position: int) -> Stream:
        return Sweeping(
            at,
            position,
            centre_ms=params.centre_ms,
            depth_ms=params.depth_ms,
            rate=Phase(at, "rate_hz", params.rate_hz),
            shape=params.shape,
            voices=1,
            apart=params.apart,
            feedback=params.feedback,
            mix=params.mix,
        )
