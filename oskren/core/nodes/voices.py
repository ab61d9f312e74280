"""What a mix is made of once it is rendered: shapes, and voices with their gain and pan."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from oskren.core.audio.layouts import CHANNELS, convert, layout_of
from oskren.core.audio.places import SPOTTED, WIDE, PanLaw, azimuth, gains, sides, spots, turning
from oskren.core.envelope import Envelope
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
    def unusual(self) -> str:
        """The layout where it is not the usual one of so many channels, else nothing."""
        return "" if self.named == layout_of(self.channels) else self.named

    @property
    def seconds(self) -> float:
        return self.frames / self.rate


@dataclass(frozen=True)
class Spot:
    """Where in the plane something is heard: pan -1 (left) to 1 (right), back 0 (front) to 1, width 0 (a point) to 1 (as it is)."""

    pan: float = 0.0
    back: float = 0.0
    width: float = 1.0


@dataclass(frozen=True)
class Moves:
    """Envelopes that add to gain (dB), pan and back of a voice."""

    gain: Envelope | None = None
    pan: Envelope | None = None
    back: Envelope | None = None

    @property
    def any(self) -> bool:
        return bool(self.gain or self.pan or self.back)


@dataclass(frozen=True)
class Voice:
    """One sound of a mix, rendered by itself: where it starts (frames from the strike line), its gain and place and how those move.

    ``layout`` is that of the sum it is heard in; ``moments`` carries the envelopes' time to its audio.
    """

    id: str
    node: Node
    shape: Shape
    place: int
    gain_db: float
    spot: Spot
    layout: str = "stereo"
    pan_law: PanLaw = "-3 dB"
    moves: Moves = Moves()
    moments: TimeMap = field(default_factory=TimeMap.identity)

    @property
    def lanes(self) -> int:
        """Channels of what :meth:`heard` gives; a mono sum is folded from left and right."""
        return max(2, len(CHANNELS[self.layout]))

    def heard(self, part: Samples, first: int) -> Samples:
        """What a part of its audio from its frame ``first`` on gives to the channels of the sum: shape (frames, lanes)."""
        gain: Floats = np.array([self.gain_db])
        pan, back = np.array([self.spot.pan]), np.array([self.spot.back])
        if self.moves.any:
            at = self.moments.inputs_at((first + np.arange(len(part))) / self.shape.rate)
            gain, pan, back = (
                value if moves is None else value + moves.at(at) for value, moves in ((gain, self.moves.gain), (pan, self.moves.pan), (back, self.moves.back))
            )
        pan, gain = np.clip(pan, -1, 1), 10.0 ** (gain / 20)
        if self.layout not in WIDE:
            return between_sides(part, self.shape.named, pan, gain, self.pan_law)
        return in_plane(part, self.shape.named, self.layout, pan, np.clip(back, 0, 1), self.spot.width, gain)


def between_sides(part: Samples, named: str, pan: Floats, gain: Floats, law: PanLaw) -> Samples:
    """Left and right of a sound at a pan (one value, or one a frame), by a law."""
    lanes = min(part.shape[1], 2)
    lanes_of = part if part.shape[1] == lanes else convert(part, "stereo", named)
    left, right = ((side * gain).astype(np.float32) for side in sides(pan, lanes, law))
    return np.stack([lanes_of[:, 0] * left, lanes_of[:, -1] * right], axis=1)


def in_plane(part: Samples, named: str, layout: str, pan: Floats, back: Floats, width: float, gain: Floats) -> Samples:
    """Channels of a wide sum that hear a sound at a place in its plane (one value of pan, back and gain, or one a frame).

    Every channel of the sound is heard from the place it has, its distance from the middle line scaled by the width, moved by pan to
    the right and by back from the front (0) to the back (1), held at the edges. A channel for low effects goes to that of the sum,
    or nowhere. Ambisonics is turned to the place's direction in an ambisonic sum, and heard from the loudspeakers in others.
    """
    if named == "ambix" and layout == "ambix":
        angle, _ = azimuth(pan, 1 - 2 * back)
        turned = turning(angle) * gain[:, None, None]
        return np.asarray(part @ turned[0] if len(turned) == 1 else np.einsum("ni,nij->nj", part, turned), np.float32)
    if named == "ambix":
        part, named = convert(part, layout, named), layout
    elif named not in SPOTTED:
        part, named = convert(part, "stereo", named), "stereo"
    names = CHANNELS[layout]
    out: Samples = np.zeros((len(part), len(names)), np.float32)
    for lane, spot in enumerate(spots(named)):
        if spot is not None:
            x, y = np.broadcast_arrays(np.clip(spot[0] * width + pan, -1, 1), np.clip(spot[1] - 2 * back, -1, 1))
            out += part[:, lane : lane + 1] * (gains(layout, x, y) * gain[:, None]).astype(np.float32)
        elif "LFE" in names:
            out[:, names.index("LFE")] += part[:, lane] * gain.astype(np.float32)
    return out
