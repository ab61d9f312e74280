"""What a mix is made of once it is rendered: shapes, and voices with their gain and pan."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from oskren.core.audio.layouts import convert, layout_of
from oskren.core.envelope import Envelope
from oskren.core.measure.levels import amplitude
from oskren.core.nodes.model import Node
from oskren.core.timemap import TimeMap
from oskren.core.types import Floats, Samples


@dataclass(frozen=True)
class Shape:
    """Length (frames), rate (Hz) and channels of a node, and the frame of its own zero (the strike line of a mix)."""

    frames: int
    rate: int
    channels: int
    zero: int = 0
    layout: str = ""

    @property
    def named(self) -> str:
        """The channel layout, the usual one of so many channels when none is stated."""
        return self.layout or layout_of(self.channels)

    @property
    def seconds(self) -> float:
        return self.frames / self.rate


def pan_gains(pan: float, channels: int) -> Samples:
    """Matrix (channels, 2) for pan -1 (left) to 1 (right): equal power, -3 dB in the centre for mono.

    A stereo sound is balanced: unity in the centre, cos and sin scaled by √2 and held at 1 outside it.
    """
    left, right = (float(side) for side in _sides(np.array(pan), channels))
    return np.array([[left, right]] if channels == 1 else [[left, 0.0], [0.0, right]], np.float32)


def _sides(pan: Floats, channels: int) -> tuple[Floats, Floats]:
    angle = (pan + 1) * math.pi / 4
    left, right = np.cos(angle), np.sin(angle)
    return (left, right) if channels == 1 else (np.minimum(1.0, left * math.sqrt(2)), np.minimum(1.0, right * math.sqrt(2)))


@dataclass(frozen=True)
class Voice:
    """One sound of a mix, rendered by itself: where it starts (frames from the strike line), its gain and pan and how those move."""

    id: str
    node: Node
    shape: Shape
    place: int
    gain_db: float
    pan: float
    gain_moves: Envelope | None = None
    pan_moves: Envelope | None = None
    moments: TimeMap = field(default_factory=TimeMap.identity)

    def heard(self, part: Samples, first: int) -> Samples:
        """Left and right of a part of its audio from its frame ``first`` on, as the mix takes it."""
        lanes = min(part.shape[1], 2)
        sides = part if part.shape[1] == lanes else convert(part, "stereo", self.shape.named)
        if self.gain_moves is None and self.pan_moves is None:
            return np.asarray(sides @ (pan_gains(self.pan, lanes) * np.float32(amplitude(self.gain_db))), np.float32)
        at = self.moments.inputs_at((first + np.arange(len(part))) / self.shape.rate)
        gain = 10.0 ** ((self.gain_db + (self.gain_moves.at(at) if self.gain_moves else 0.0)) / 20)
        pan = np.clip(self.pan + (self.pan_moves.at(at) if self.pan_moves else 0.0), -1, 1)
        left, right = _sides(np.asarray(pan), lanes)
        return np.stack([sides[:, 0] * left * gain, sides[:, -1] * right * gain], axis=1).astype(np.float32)
