"""A constant offset is measured and taken out."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.measure.levels import db
from oskren.core.steps.base import Context, Params, Read, Simple, StepKind, Stream, Summary, register, spread
from oskren.core.types import Samples


@register
class Dc(StepKind):
    """Removes a constant offset, measured over the whole sound."""

    key, label, family, analyses = "dc", "DC offset away", "Clean", True
    words = "offset cleaner repair"
    portable = True

    def analyse(self, params: Params, blocks: Iterator[Samples], at: Context) -> Summary:
        total, frames = np.zeros(at.channels), 0
        for block in blocks:
            total += block.sum(axis=0, dtype=np.float64)
            frames += len(block)
        return {"offset": total / max(1, frames)}

    def glance(self, params: Params, read: Read, at: Context) -> Summary:
        return self.analyse(params, spread(read, at), at)

    def localise(self, params: Params, learned: Summary, blocks: Iterator[Samples], at: Context) -> Summary:
        offset = learned["offset"]
        return {"offset": offset if len(offset) == at.channels else np.full(at.channels, offset.mean())}

    def found(self, summary: Summary) -> str:
        highest = float(np.abs(summary["offset"]).max(initial=0.0))
        return f"offset of {db(highest):.0f} dBFS" if highest > 1e-5 else "no offset"

    def stream(self, params: Params, summary: Summary, at: Context, position: int) -> Stream:
        offset = summary["offset"].astype(np.float32)
        return Simple(lambda block: block - offset, at.channels)
