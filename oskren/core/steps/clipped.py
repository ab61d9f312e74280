"""Peaks that were cut off are rebuilt."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import number
from oskren.core.measure.clipped import clipped_runs
from oskren.core.measure.levels import amplitude
from oskren.core.steps.base import Context, Params, Stream, Summary, register
from oskren.core.steps.patching import Listing, as_parts, counted, heights_of, left_alone, skipping
from oskren.core.steps.rebuilding import Rebuilding, frame_size
from oskren.core.types import Samples


class ClippedParams(Params):
    within_db: float = number(0.05, 0.01, 3, "dB", "Clipped within", "log", digits=2)
    room_db: float = number(6.0, 0, 12, "dB", "Lowered to make room")
    skip: tuple[float, ...] = skipping()


LONGEST_CLIPPED = 800
"""Frames; what is flat for longer was no peak."""


@register
class Clipped(Listing):
    """Rebuilds clipped peaks from the tones around them, and lowers the sound so that they have room."""

    key, label, family, params, analyses = "clipped", "Clipped peaks rebuilt", "Clean", ClippedParams, True
    version = 2
    words = "cleaner overs distortion repair clip"
    learns_by = ("within_db",)

    def analyse(self, params: ClippedParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks)).astype(np.float64)
        runs = [[run for run in clipped_runs(lane, params.within_db) if run[1] - run[0] <= LONGEST_CLIPPED] for lane in whole.T]
        parts = as_parts(runs)
        return {"parts": parts, "heights": heights_of(whole, parts)}

    def found(self, summary: Summary) -> str:
        return counted(len(summary["parts"]), "cut peak")

    def lead(self, params: ClippedParams, at: Context) -> int:
        return frame_size(at.rate)

    def stream(self, params: ClippedParams, summary: Summary, at: Context, position: int) -> Stream:
        parts = summary["parts"][~left_alone(summary["parts"], params.skip, at)]
        rebuilding = Rebuilding(parts, at, position)
        return Lowered(rebuilding, amplitude(-params.room_db)) if len(parts) else rebuilding


class Lowered:
    """A stream at another level."""

    def __init__(self, stream: Stream, factor: float):
        self._stream, self._factor = stream, np.float32(factor)

    def push(self, block: Samples) -> Samples:
        return self._stream.push(block) * self._factor

    def flush(self) -> Samples:
        return self._stream.flush() * self._factor
