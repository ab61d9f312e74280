"""Edges and direction: trim, fades, reverse."""

from __future__ import annotations

import numpy as np

from oskren.core.controls import choice, moment, number
from oskren.core.errors import OskrenError
from oskren.core.steps.base import Context, Params, Picture, Reading, Simple, StepKind, Stream, Summary, register
from oskren.core.timemap import TimeMap
from oskren.core.types import Floats, Samples

SHAPES = ["linear", "equal power", "sine", "logarithmic", "exponential"]


def fade_gain(position: Floats, shape: str) -> Floats:
    """Gain of a rising fade at positions 0..1; the falling fade is its mirror image.

    linear x; equal power sin(πx/2), so that a crossfade keeps gain² constant; sine (1 - cos πx)/2;
    logarithmic rises fast, exponential slowly, both over 60 dB. Common practice, no source.

    Parameters
    ----------
    position : array
        0 where the fade begins to 1 where it ends.
    shape : str
        One of SHAPES.

    Returns
    -------
    array of the same shape
        Linear gain, 0 to 1.

    Examples
    --------
    >>> fade_gain(np.array([0.0, 0.5, 1.0]), "linear").tolist()
    [0.0, 0.5, 1.0]
    >>> rising, falling = fade_gain(np.array([0.3]), "equal power"), fade_gain(np.array([0.7]), "equal power")
    >>> round(float(rising[0] ** 2 + falling[0] ** 2), 9)
    1.0
    """
    x = np.clip(position, 0.0, 1.0)
    if shape == "equal power":
        return np.asarray(np.sin(np.pi / 2 * x))
    if shape == "sine":
        return np.asarray((1 - np.cos(np.pi * x)) / 2)
    if shape == "logarithmic":
        return np.asarray(1 - (10.0 ** (-3.0 * x) - 1e-3) / (1 - 1e-3))
    if shape == "exponential":
        return np.asarray((10.0 ** (3.0 * (x - 1)) - 1e-3) / (1 - 1e-3))
    return x


class FadeParams(Params):
    in_s: float = number(0.0, 0, 60, "s", "Fade in")
    out_s: float = number(0.0, 0, 60, "s", "Fade out")
    in_shape: str = choice("equal power", SHAPES, "In shape")
    out_shape: str = choice("equal power", SHAPES, "Out shape")


@register
class Fade(StepKind):
    """Fades the sound in and out at its ends."""

    key, label, family, params = "fade", "Fade", "Edges", FadeParams
    words = "softer edge click start end smooth in out"

    def picture(self, params: FadeParams, rate: int) -> Picture:
        """Both fades at the ends of a sound that is half as long again as they are."""
        whole = max(0.1, 1.5 * (params.in_s + params.out_s))
        time = np.linspace(0, whole, 200)
        gain = np.ones(200)
        if params.in_s > 0:
            gain *= fade_gain(time / params.in_s, params.in_shape)
        if params.out_s > 0:
            gain *= fade_gain((whole - time) / params.out_s, params.out_shape)
        return Picture.of("s", "gain", [Reading.of("", time, gain)], y=(0.0, 1.05))

    def stream(self, params: FadeParams, summary: Summary, at: Context, position: int) -> Stream:
        rise = max(1, min(at.frames, round(params.in_s * at.rate)))
        fall = max(1, min(at.frames, round(params.out_s * at.rate)))
        here = position

        def faded(block: Samples) -> Samples:
            nonlocal here
            first, here = here, here + len(block)
            result = block
            if params.in_s > 0 and first < rise:
                result = block.copy()
                last = min(here, rise)
                result[: last - first] *= fade_gain((np.arange(first, last) + 0.5) / rise, params.in_shape).astype(np.float32)[:, None]
            if params.out_s > 0 and here > at.frames - fall:
                result = block.copy() if result is block else result
                begin = max(first, at.frames - fall)
                result[begin - first :] *= fade_gain((at.frames - np.arange(begin, here) - 0.5) / fall, params.out_shape).astype(np.float32)[:, None]
            return result

        return Simple(faded, at.channels)


class TrimParams(Params):
    start_s: float | None = moment("From")
    end_s: float | None = moment("To")


@register
class Trim(StepKind):
    """Keeps the part between two moments of the sound."""

    key, label, family, params, keeps_time = "trim", "Trim", "Edges", TrimParams, False
    words = "shorter cut part start end length"

    def _part(self, params: TrimParams, at: Context) -> tuple[int, int]:
        if None not in (params.start_s, params.end_s) and params.start_s == params.end_s:
            raise OskrenError("Trim: From and To are the same moment; nothing would be left.")
        first, last = at.part(params.start_s, params.end_s)
        return (first, last) if last > first else (max(0, min(first, at.frames - 1)), max(1, min(first + 1, at.frames)))

    def out_frames(self, params: TrimParams, at: Context) -> int:
        first, last = self._part(params, at)
        return last - first

    def skip(self, params: TrimParams, at: Context) -> int:
        return self._part(params, at)[0]

    def time_map(self, params: TrimParams, at: Context) -> TimeMap:
        return TimeMap.affine(1.0, self._part(params, at)[0] / at.rate)

    def stream(self, params: TrimParams, summary: Summary, at: Context, position: int) -> Stream:
        return Simple(lambda block: block, at.channels)


@register
class Reverse(StepKind):
    """Plays the sound backwards."""

    key, label, family, whole, keeps_time = "reverse", "Reverse", "Edges", True, False
    words = "backwards reverse swell turn round"

    def time_map(self, params: Params, at: Context) -> TimeMap:
        return TimeMap.affine(-1.0, at.frames / at.rate)

    def run(self, params: Params, samples: Samples, at: Context) -> Samples:
        return np.ascontiguousarray(samples[::-1])
