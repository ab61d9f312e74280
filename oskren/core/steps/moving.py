"""What steps that move are made of: swings that know their phase at every frame, and streams that see some frames to both sides."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from oskren.core.steps.base import Context
from oskren.core.types import Floats, Samples

WAVES = ["sine", "triangle", "square", "ramp up", "ramp down", "wander"]
"""Shapes of a swing; ``wander`` goes to another place at every turn, the same ones at every rendering."""

GRID = 64
"""Frames between two values of a rate that moves."""


def column(gain_db: float | Floats) -> Samples:
    """Amplitudes of levels (dB), one a frame or one for all, to multiply samples with."""
    return np.asarray(10.0 ** (np.asarray(gain_db) / 20), np.float32).reshape(-1, 1)


def share(at: Context, name: str, own: float, first: int, count: int) -> Samples:
    """A parameter between 0 and 1 at frames, to multiply samples with."""
    return np.asarray(np.clip(at.moved(name, own, first, count), 0, 1), np.float32).reshape(-1, 1)


def keeps(seconds: float, rate: int) -> float:
    """Coefficient of a one-pole that comes within 1/e in so many seconds."""
    return math.exp(-1 / max(1e-9, seconds * rate)) if seconds > 0 else 0.0


class Phase:
    """How many turns a frequency (Hz), which may follow an envelope, has made at a frame of the sound: the integral from its first frame on."""

    def __init__(self, at: Context, name: str, hz: float):
        self._rate, self._hz = at.rate, hz
        self._grid: Floats | None = None
        if at.envelope(name) is not None:
            moving = np.asarray(at.moved(name, hz, 0, at.frames // GRID + 2, GRID))
            self._grid = np.concatenate([[0.0], np.cumsum((moving[1:] + moving[:-1]) / 2) * GRID / at.rate])

    def turns(self, first: int, count: int) -> Floats:
        """Turns made at frames from one on."""
        frames = first + np.arange(count)
        if self._grid is None:
            return np.asarray(frames * (self._hz / self._rate))
        place = frames / GRID
        known = np.interp(place, np.arange(len(self._grid)), self._grid)
        over = np.maximum(0.0, place - (len(self._grid) - 1))  # past the end of the sound it goes on as fast as it was
        return np.asarray(known + over * (self._grid[-1] - self._grid[-2]))


def _places(number: Floats, seed: int) -> Floats:
    """A value between -1 and 1 for every whole number, always the same (the fraction of a large sine)."""
    value = np.sin((number + 1) * 12.9898 + seed * 78.233) * 43758.5453
    return np.asarray(2 * (value - np.floor(value)) - 1)


def wave(turns: Floats, shape: str, seed: int = 0) -> Floats:
    """A swing between -1 and 1 for turns made; it begins in the middle, going up (ramps and squares at their edge)."""
    part = turns - np.floor(turns)
    if shape == "sine":
        return np.asarray(np.sin(2 * np.pi * part))
    if shape == "triangle":
        return np.asarray(1 - 4 * np.abs((part + 0.25) % 1 - 0.5))
    if shape == "square":  # its edges last a fiftieth of a turn, so that they do not click
        return np.asarray(np.clip(np.sin(2 * np.pi * part) * 16, -1, 1))
    if shape == "wander":
        here, there = _places(np.floor(turns), seed), _places(np.floor(turns) + 1, seed)
        return np.asarray(here + (there - here) * (1 - np.cos(np.pi * part)) / 2)
    ramp = np.where(part < 0.96, part / 0.48 - 1, 1 - (part - 0.96) / 0.02)
    return np.asarray(ramp if shape == "ramp up" else -ramp)


class Reaching:
    """A stream that sees ``reach`` frames to both sides of what it gives: silence before the first and after the last.

    ``function`` is given a stretch with its surroundings, and the frame its middle begins at; it answers for the middle.
    """

    def __init__(self, reach: int, channels: int, position: int, function: Callable[[Samples, int], Samples]):
        self._reach, self._function, self._here = reach, function, position
        self._held: Samples = np.zeros((reach, channels), np.float32)

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        return self._give()

    def flush(self) -> Samples:
        self._held = np.concatenate([self._held, np.zeros((self._reach, self._held.shape[1]), np.float32)])
        return self._give()

    def _give(self) -> Samples:
        ready = len(self._held) - 2 * self._reach
        if ready <= 0:
            return np.zeros((0, self._held.shape[1]), np.float32)
        given = np.asarray(self._function(self._held, self._here), np.float32)
        self._held, self._here = self._held[ready:], self._here + ready
        return given
