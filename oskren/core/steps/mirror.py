"""A part of a sound played back and forth, so that it lasts longer."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.audio.seams import SEEK_S, joined
from oskren.core.controls import choice, number
from oskren.core.steps.base import Context, Params, Picture, Reading, StepKind, register
from oskren.core.timemap import TimeMap
from oskren.core.types import Samples


def _together(samples: Samples, point: int, left: int, fade: int, furthest: range) -> int:
    """How far both turns of a mirror move so that the sound and its mirror image go together in both crossfades; the nearest of the best."""

    def agree(move: int) -> float:
        found = []
        for one, other in ((point - fade, point + move - fade), (left + move, left)):
            a, b = samples[one : one + fade].astype(np.float64), samples[other : other + fade][::-1].astype(np.float64)
            size = math.sqrt(float(np.sum(a * a)) * float(np.sum(b * b)))
            found.append(float(np.sum(a * b)) / size if size > 0 else 1.0)
        return min(found) - 1e-6 * abs(move)

    coarse = max([0, *furthest[:: max(1, len(furthest) // 150)]], key=agree)
    return max((move for move in range(coarse - 4, coarse + 5) if move in furthest or move == 0), key=agree)


class MirrorParams(Params):
    point_s: float = number(1.0, 0.01, 600, "s", "Turns at", digits=3, place=True)
    span_s: float = number(0.5, 0.01, 60, "s", "Goes back by", "log", 3)
    times: str = choice("1", ["1", "2", "3", "4", "6", "8"], "Times there and back")
    crossfade_ms: float = number(20.0, 0, 500, "ms", "Crossfade")


@register
class Mirror(StepKind):
    """Makes the sound longer by playing a part of it back and forth, crossfaded at every turn."""

    key, label, family, params, whole, keeps_time = "mirror", "Mirrored longer", "Length", MirrorParams, True, False
    words = "longer extend lengthen loop sustain repeat"
    settings = {"a breath more": {"span_s": 0.25}, "long ring": {"span_s": 0.8, "times": "4", "crossfade_ms": 80.0}}

    def version_of(self, params: MirrorParams) -> int:
        """Crossfades of a single frame were left out once."""
        return 2 if 0 < params.crossfade_ms < 0.2 else 1

    def _turns(self, params: MirrorParams, at: Context) -> tuple[int, int, int, int]:
        """Point, span, crossfade (frames) and how often."""
        point = int(np.clip(round(at.carry(params.point_s) * at.rate), 2, at.frames))
        span = max(1, min(point - 1, round(params.span_s * at.rate)))
        fade = min(round(params.crossfade_ms / 1000 * at.rate), span // 2)
        return point, span, fade, int(params.times)

    def picture(self, params: MirrorParams, rate: int) -> Picture:
        """Which moment of the sound is heard when."""
        span = min(params.span_s, params.point_s)
        here, time, place = params.point_s, [0.0], [0.0]
        for _ in range(int(params.times)):
            for step in (here - place[-1], span):
                time.append(time[-1] + step)
                place.append(here if len(place) % 2 else here - span)
        time.append(time[-1] + span + 0.3 * params.point_s)
        place.append(here + 0.3 * params.point_s)
        return Picture.of("s heard", "s of the sound", [Reading.of("", np.array(time), np.array(place))], y=(0.0, 1.35 * params.point_s))

    def out_frames(self, params: MirrorParams, at: Context) -> int:
        _, span, fade, times = self._turns(params, at)
        return at.frames + times * 2 * (span - fade)

    def time_map(self, params: MirrorParams, at: Context) -> TimeMap:
        """Moments before the point stay, those behind it are later; while it goes back and forth time stands at the point."""
        point, span, fade, times = self._turns(params, at)
        added = times * 2 * (span - fade) / at.rate
        here = point / at.rate
        hair = 1e-6
        return TimeMap((0.0, here, here + added + hair, here + added + hair + 1), (0.0, here, here + hair, here + hair + 1))

    def run(self, params: MirrorParams, samples: Samples, at: Context) -> Samples:
        point, span, fade, times = self._turns(params, at)
        left, out = point - span, samples[:point]
        seek = min(round(SEEK_S * at.rate), fade, (span - fade) // 4) if fade >= 2 else 0
        # what goes back begins and ends a moment off, so that it goes together with what goes forth at both ends
        move = _together(samples, point, left, fade, range(-min(seek, left), min(seek, at.frames - point) + 1)) if seek else 0
        back = samples[left + move : point + move][::-1]
        for turn in range(times):
            out = joined(out, back, fade)
            out = joined(out, samples[left : at.frames if turn == times - 1 else point], fade)
        return np.ascontiguousarray(out, np.float32)
