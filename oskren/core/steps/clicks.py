"""Clicks are found and taken off."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import number
from oskren.core.measure.clicks import find_clicks
from oskren.core.steps.base import Context, Following, Params, Stream, Summary, register
from oskren.core.steps.patching import Listing, as_parts, counted, heights_of, left_alone, skipping
from oskren.core.types import Samples


class ClickParams(Params):
    threshold_db: float = number(24.0, 12, 50, "dB", "Stands over what is predicted by")
    longest_ms: float = number(1.0, 0.1, 8, "ms", "Longest click", "log")
    skip: tuple[float, ...] = skipping()


@register
class Clicks(Listing):
    """Finds clicks, estimates what each added to the sound, and takes just that off."""

    key, label, family, params, analyses = "clicks", "Clicks away", "Clean", ClickParams, True
    version = 2
    words = "cleaner crackle pop repair click"
    learns_by = ("threshold_db", "longest_ms")

    def analyse(self, params: ClickParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks)).astype(np.float64)
        found = [find_clicks(lane, at.rate, params.threshold_db, params.longest_ms / 1000) for lane in whole.T]
        parts = as_parts([[(one.first, one.last) for one in lane] for lane in found])
        clicks = [one for lane in found for one in lane]
        return {
            "parts": parts,
            "heights": heights_of(whole, parts),
            "sure": np.round([one.sure for one in clicks], 2),
            "added": np.concatenate([np.zeros(0), *(one.added for one in clicks)]).astype(np.float32),
        }

    def found(self, summary: Summary) -> str:
        return counted(len(summary["parts"]), "click")

    def stream(self, params: ClickParams, summary: Summary, at: Context, position: int) -> Stream:
        parts = summary["parts"]
        if not len(parts):
            return Following(at, position, lambda block, _: block)
        added = np.split(summary["added"], np.cumsum(parts[:, 2] - parts[:, 1])[:-1])
        kept = np.flatnonzero(~left_alone(parts, params.skip, at))
        kept = kept[np.argsort(parts[kept, 1], kind="stable")]
        firsts, longest = parts[kept, 1], int((parts[:, 2] - parts[:, 1]).max())

        def take_off(block: Samples, here: int) -> Samples:
            out = block.copy()
            for place in kept[np.searchsorted(firsts, here - longest) : np.searchsorted(firsts, here + len(block))].tolist():
                lane, first, last = parts[place].tolist()
                low, high = max(first, here), min(last, here + len(block))
                if low < high:
                    out[low - here : high - here, lane] -= added[place][low - first : high - first]
            return out

        return Following(at, position, take_off)
