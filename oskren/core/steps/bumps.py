"""Bumps in the lows are found, and the lows there made of what is around them."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import number
from oskren.core.measure.bumps import LOW_RATE, filled_lows, find_bumps
from oskren.core.steps.base import Context, Params, Simple, Stream, Summary, register
from oskren.core.steps.patching import Listing, counted, left_alone, skipping
from oskren.core.types import AnyArray, Floats, Samples


class BumpParams(Params):
    threshold_db: float = number(12.0, 6, 40, "dB", "Stands over the lows around by")
    cutoff_hz: float = number(120.0, 40, 300, "Hz", "Lows below", "log")
    longest_ms: float = number(800.0, 50, 2000, "ms", "Longest bump", "log")
    skip: tuple[float, ...] = skipping()


class Adding:
    """Adds changes of the lows, kept at ``LOW_RATE``, where they belong; between their samples by cubic splines."""

    def __init__(self, parts: AnyArray, changes: list[Floats], at: Context, position: int):
        self._rows = list(zip(parts.tolist(), changes, strict=True))
        self._rate, self._at = at.rate, position

    def __call__(self, block: Samples) -> Samples:
        from scipy.interpolate import CubicSpline

        out = block.copy()
        for (lane, first, last), change in self._rows:
            low, high = max(first, self._at), min(last, self._at + len(block))
            if low >= high or len(change) < 4:
                continue
            knots = np.concatenate([[0.0], change, [0.0]])
            place = (np.arange(low, high) - first) * (LOW_RATE / self._rate) + 1
            out[low - self._at : high - self._at, lane] += CubicSpline(np.arange(len(knots)), knots)(np.minimum(place, len(knots) - 1)).astype(np.float32)
        self._at += len(block)
        return out


@register
class Bumps(Listing):
    """Finds short bumps in the lows and replaces the lows there by what is around them. Higher frequencies stay untouched."""

    key, label, family, params, analyses = "bumps", "Bumps away", "Clean", BumpParams, True
    version = 2
    words = "cleaner handling thump wind repair bump"
    learns_by = ("threshold_db", "cutoff_hz", "longest_ms")

    def analyse(self, params: BumpParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks))
        parts, heights, changes = [], [], []
        for lane in range(at.channels):
            one = whole[:, lane].astype(np.float64)
            for bump in find_bumps(one, at.rate, params.threshold_db, params.cutoff_hz, params.longest_ms / 1000):
                parts.append((lane, round(bump.start_s * at.rate), round(bump.end_s * at.rate)))
                heights.append(round(bump.height_db, 1))
                changes.append(filled_lows(one, at.rate, bump, params.cutoff_hz))
        return {
            "parts": np.array(parts, np.int64).reshape(-1, 3),
            "heights": np.array(heights),
            "lengths": np.array([len(change) for change in changes], np.int64),
            "changes": np.concatenate(changes) if changes else np.zeros(0),
        }

    def found(self, summary: Summary) -> str:
        return counted(len(summary["parts"]), "bump")

    def stream(self, params: BumpParams, summary: Summary, at: Context, position: int) -> Stream:
        ends = np.cumsum(summary["lengths"])
        changes = [summary["changes"][end - length : end] for end, length in zip(ends.tolist(), summary["lengths"].tolist(), strict=True)]
        kept = np.flatnonzero(~left_alone(summary["parts"], params.skip, at)).tolist()
        return Simple(Adding(summary["parts"][kept], [changes[i] for i in kept], at, position), at.channels)
