"""Clicks are found and filled in."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import number
from oskren.core.measure import prediction
from oskren.core.steps.base import Context, Params, Stream, Summary, register
from oskren.core.steps.patching import CONTEXT, Listing, Patching, as_parts, counted, heights_of, left_alone, skipping
from oskren.core.types import Samples


class ClickParams(Params):
    threshold_db: float = number(26.0, 12, 50, "dB", "Stands over what is predicted by")
    longest_ms: float = number(1.0, 0.1, 8, "ms", "Longest click", "log")
    skip: tuple[float, ...] = skipping()


@register
class Clicks(Listing):
    """Finds clicks and replaces each by linear prediction from both sides."""

    key, label, family, params, analyses = "clicks", "Clicks away", "Clean", ClickParams, True
    words = "cleaner crackle pop repair click"
    learns_by = ("threshold_db", "longest_ms")

    def analyse(self, params: ClickParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks)).astype(np.float64)
        parts = as_parts([prediction.clicks(lane, at.rate, params.threshold_db, params.longest_ms / 1000) for lane in whole.T])
        return {"parts": parts, "heights": heights_of(whole, parts)}

    def found(self, summary: Summary) -> str:
        return counted(len(summary["parts"]), "click")

    def lead(self, params: ClickParams, at: Context) -> int:
        return CONTEXT + self._longest(params, at)

    def _longest(self, params: ClickParams, at: Context) -> int:
        return round(params.longest_ms / 1000 * at.rate) + 8

    def stream(self, params: ClickParams, summary: Summary, at: Context, position: int) -> Stream:
        parts = summary["parts"][~left_alone(summary["parts"], params.skip, at)]
        return Patching(parts, self._longest(params, at), prediction.fill, at, position)
