"""Places in the plane of a sum with more than two channels: where its loudspeakers stand, and what a place gives to each.

A place is (x, y) on a square: x from -1 (left) to 1 (right), y from -1 (back) to 1 (front). Loudspeakers stand in rows from side to side.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from oskren.core.audio.layouts import CHANNELS
from oskren.core.types import Floats

_ROWS: dict[str, tuple[tuple[float, tuple[tuple[str, float], ...]], ...]] = {
    "mono": ((1.0, (("M", 0.0),)),),
    "stereo": ((1.0, (("L", -1.0), ("R", 1.0))),),
    "quad": ((-1.0, (("Ls", -1.0), ("Rs", 1.0))), (1.0, (("L", -1.0), ("R", 1.0)))),
    "5.1": ((-1.0, (("Ls", -1.0), ("Rs", 1.0))), (1.0, (("L", -1.0), ("C", 0.0), ("R", 1.0)))),
    "7.1": ((-1.0, (("Lrs", -1.0), ("Rrs", 1.0))), (0.0, (("Lss", -1.0), ("Rss", 1.0))), (1.0, (("L", -1.0), ("C", 0.0), ("R", 1.0)))),
}
"""Rows of loudspeakers from the back to the front, (y, ((channel, x), ...)); an LFE has no place."""

WIDE = tuple(name for name, channels in CHANNELS.items() if len(channels) > 2)
"""Layouts a sum has places in the plane for."""

SPOTTED = tuple(_ROWS)
"""Layouts whose channels have places of their own."""

_ROUND = ((-1.0, -180.0), (-0.75, -150.0), (-0.5, -90.0), (-0.25, -30.0), (0.0, 0.0), (0.25, 30.0), (0.5, 90.0), (0.75, 150.0), (1.0, 180.0))
"""Directions (degrees to the left) of eight points round the square, those of 7.1's loudspeakers at its corners and sides."""


def spots(layout: str) -> list[tuple[float, float] | None]:
    """The place of every channel of a layout that has rows, in file order; None for an LFE."""
    found = {name: (x, y) for y, row in _ROWS[layout] for name, x in row}
    return [found.get(name) for name in CHANNELS[layout]]


def _between(at: Floats, points: list[float]) -> Floats:
    """Gains (n, points) of the two neighbours of a value, cosine and sine of the way between them; held outside."""
    out = np.zeros((len(at), len(points)))
    if len(points) == 1:
        out[:, 0] = 1.0
        return out
    held = np.clip(at, points[0], points[-1])
    low = np.clip(np.searchsorted(points, held, side="right") - 1, 0, len(points) - 2)
    edges = np.array(points)
    way = (held - edges[low]) / (edges[low + 1] - edges[low]) * (math.pi / 2)
    rows = np.arange(len(at))
    out[rows, low], out[rows, low + 1] = np.cos(way), np.sin(way)
    out[np.abs(out) < 1e-12] = 0.0
    return out


def azimuth(x: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Direction (degrees to the left) of places, and how far out they are: 0 in the middle, 1 on the edge of the square."""
    out = np.maximum(np.abs(x), np.abs(y))
    with np.errstate(invalid="ignore", divide="ignore"):
        u, v = np.where(out > 0, x / out, 0.0), np.where(out > 0, y / out, 1.0)
    # round the square from the front by the left (positive) and by the right, an eighth of the way from each corner to each middle
    side = np.where(v >= 1, -u / 4, np.where(v <= -1, np.where(u <= 0, 1 + u / 4, u / 4 - 1), np.where(u < 0, 0.5 - v / 4, v / 4 - 0.5)))
    points = np.array(_ROUND)
    return np.interp(side, points[:, 0], points[:, 1]), out


def gains(layout: str, x: Floats, y: Floats) -> Floats:
    """What sounds at places give to the channels of a sum: shape (n, channels).

    Between the two rows nearest to y, and in each between the two loudspeakers nearest to x, by cosine and sine, so that the power
    (the sum of squares) is 1 everywhere and a sound at a loudspeaker's place is heard from it alone. AmbiX: a plane wave from
    the place's direction (W = 1), less directed towards the middle, where only W is left.

    Source: balance of planes, rows and columns as in the allocentric panner of Recommendation ITU-R BS.2127 (from memory);
    AmbiX after Nachbar, Zotter, Deleflie, Sontacchi 2011.
    """
    x, y = np.atleast_1d(np.asarray(x, float)), np.atleast_1d(np.asarray(y, float))
    if layout == "ambix":
        angle, out = azimuth(x, y)
        turned = np.radians(angle)
        return np.stack([np.ones(len(x)), out * np.sin(turned), np.zeros(len(x)), out * np.cos(turned)], axis=1)
    rows, names = _ROWS[layout], CHANNELS[layout]
    result = np.zeros((len(x), len(names)))
    depth = _between(y, [height for height, _ in rows])
    for number, (_, row) in enumerate(rows):
        across = _between(x, [at for _, at in row])
        for lane, (name, _) in enumerate(row):
            result[:, names.index(name)] += depth[:, number] * across[:, lane]
    return result


PanLaw = Literal["0 dB", "-3 dB", "-4.5 dB", "-6 dB"]
PAN_POWER: dict[PanLaw, float] = {"0 dB": 1.0, "-3 dB": 1.0, "-4.5 dB": 1.5, "-6 dB": 2.0}
"""What a mono sound has in the centre (dB), and the power cos and sin are taken to."""


def sides(pan: Floats, channels: int, law: PanLaw = "-3 dB") -> tuple[Floats, Floats]:
    """Gains of left and right for pan -1 (left) to 1 (right): cos and sin to a power, so that mono has the law's level in the centre.

    -3 dB is equal power (gL² + gR² = 1), -6 dB equal amplitude (gL + gR = 1), -4.5 dB lies between. A stereo sound is balanced, as is
    a mono one at 0 dB: unity in the centre, the louder side held at 1 outside it. Common practice, no source.

    >>> [round(20 * math.log10(float(sides(np.zeros(1), 1, law)[0][0])), 1) for law in PAN_POWER]
    [0.0, -3.0, -4.5, -6.0]
    """
    angle, power = (pan + 1) * math.pi / 4, PAN_POWER[law]
    left, right = (np.maximum(0.0, side) ** power for side in (np.cos(angle), np.sin(angle)))
    if channels == 1 and law != "0 dB":
        return left, right
    return np.minimum(1.0, left * 2 ** (power / 2)), np.minimum(1.0, right * 2 ** (power / 2))


def turning(angle: Floats) -> Floats:
    """Matrices (n, 4, 4) that turn first-order AmbiX by an angle (degrees to the left) about the vertical: rows in, columns out."""
    turned = np.radians(np.atleast_1d(angle))
    out = np.zeros((len(turned), 4, 4))
    out[:, 0, 0] = out[:, 2, 2] = 1.0
    out[:, 1, 1] = out[:, 3, 3] = np.cos(turned)
    out[:, 3, 1], out[:, 1, 3] = np.sin(turned), -np.sin(turned)
    return out
