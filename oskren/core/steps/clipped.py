"""Peaks that were cut off are rebuilt."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import number
from oskren.core.measure import prediction
from oskren.core.measure.levels import amplitude
from oskren.core.steps.base import Context, Params, Stream, Summary, register
from oskren.core.steps.patching import CONTEXT, Listing, Patching, as_parts, counted, heights_of, left_alone, skipping
from oskren.core.types import AnyArray, Floats, Samples


class ClippedParams(Params):
    within_db: float = number(0.05, 0.01, 3, "dB", "Clipped within", "log", digits=2)
    room_db: float = number(6.0, 0, 12, "dB", "Lowered to make room")
    skip: tuple[float, ...] = skipping()


LONGEST_CLIPPED = 800


def rebuilt(samples: Floats, missing: AnyArray) -> Floats:
    """Fill clipped samples by linear prediction; where that would lie below the level they were cut at, they stay at it."""
    still = np.asarray(missing, bool)
    for _ in range(2):
        out = prediction.fill(samples, still, settles=2)
        inside = still & (np.abs(out) < np.abs(samples))
        if not inside.any():
            break
        still = still & ~inside
    # never further than twice what was left: a long run says nothing of how high it was
    low, high = np.abs(samples), 2.0 * float(np.abs(samples).max(initial=0.0))
    return np.where(missing, np.sign(samples) * np.clip(np.abs(out), low, high), samples)


@register
class Clipped(Listing):
    """Rebuilds clipped peaks by linear prediction from both sides, and lowers the sound so that they have room."""

    key, label, family, params, analyses = "clipped", "Clipped peaks rebuilt", "Clean", ClippedParams, True
    words = "cleaner overs distortion repair clip"
    learns_by = ("within_db",)

    def analyse(self, params: ClippedParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks)).astype(np.float64)
        runs = [[run for run in prediction.clipped_runs(lane, params.within_db) if run[1] - run[0] <= LONGEST_CLIPPED] for lane in whole.T]
        parts = as_parts(runs)
        return {"parts": parts, "heights": heights_of(whole, parts)}

    def found(self, summary: Summary) -> str:
        return counted(len(summary["parts"]), "cut peak")

    def lead(self, params: ClippedParams, at: Context) -> int:
        return CONTEXT + LONGEST_CLIPPED

    def stream(self, params: ClippedParams, summary: Summary, at: Context, position: int) -> Stream:
        parts = summary["parts"][~left_alone(summary["parts"], params.skip, at)]
        patching = Patching(parts, LONGEST_CLIPPED, rebuilt, at, position)
        return Lowered(patching, amplitude(-params.room_db)) if len(parts) else patching


class Lowered:
    """A stream at another level."""

    def __init__(self, stream: Stream, factor: float):
        self._stream, self._factor = stream, np.float32(factor)

    def push(self, block: Samples) -> Samples:
        return self._stream.push(block) * self._factor

    def flush(self) -> Samples:
        return self._stream.flush() * self._factor
