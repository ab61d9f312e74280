"""The end of a sound that goes over into what lies before a moment inside it, so that it can go on from there again and again."""

from __future__ import annotations

import numpy as np

from oskren.core.audio.seams import joined
from oskren.core.controls import moment, number
from oskren.core.steps.base import Context, Params, StepKind, register
from oskren.core.types import Samples


class LoopSeamParams(Params):
    start_s: float | None = moment("Repeats from")
    crossfade_s: float = number(0.05, 0, 10, "ms", "Crossfade", digits=0, usual=(0, 500), shown=1000)


@register
class LoopSeam(StepKind):
    """Fades the end into what comes before a moment, so that the sound can be repeated from there without a seam."""

    key, label, family, params, whole = "loop_seam", "Seam for a loop", "Length", LoopSeamParams, True
    words = "loop repeat seamless crossfade sustain endless"

    def run(self, params: LoopSeamParams, samples: Samples, at: Context) -> Samples:
        if params.start_s is None:
            return samples
        start = at.part(params.start_s, None)[0]
        fade = min(round(params.crossfade_s * at.rate), start, len(samples) - start)
        if fade < 1:
            return samples
        seam = joined(samples[len(samples) - fade :], samples[start - fade : start], fade)
        return np.concatenate([samples[: len(samples) - fade], seam]).astype(np.float32)
