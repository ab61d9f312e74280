"""Mains hum is found and taken out at its own frequency."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from oskren.core.controls import choice, number
from oskren.core.measure.hum import find_hum
from oskren.core.measure.levels import amplitude
from oskren.core.steps.base import GLANCED_PARTS, GLANCED_S, Context, Params, Read, Simple, StepKind, Stream, Summary, register
from oskren.core.steps.equaliser import SETTLED, Sections, cookbook
from oskren.core.types import Floats, Samples


class HumParams(Params):
    mains: str = choice("as found", ["as found", "50", "60"], "Mains, Hz")
    reduction_db: float = number(40.0, 0, 60, "dB", "Reduction")
    harmonics: float = number(16.0, 1, 40, "", "Harmonics up to", digits=0)
    width_hz: float = number(1.5, 0.3, 10, "Hz", "Width of each", "log", digits=1)


class Humless:
    """Notches one after the other, and as much of the sound beside them as keeps the stated reduction."""

    def __init__(self, sections: Floats, share: float, channels: int):
        self._notched = Sections(sections, channels)
        self._share = np.float32(share)

    def __call__(self, block: Samples) -> Samples:
        return np.asarray(block - self._share * (block - self._notched(block)), dtype=np.float32)


@register
class HumAway(StepKind):
    """Reduces mains hum and its harmonics at their measured frequency. Without hum it does nothing."""

    key, label, family, params, analyses = "hum", "Hum away", "Clean", HumParams, True
    words = "cleaner mains buzz 50 60 hum"
    learns_by = ("mains",)
    portable = True

    def analyse(self, params: HumParams, blocks: Iterator[Samples], at: Context) -> Summary:
        mono = np.concatenate([block.mean(axis=1) for block in blocks])
        found = find_hum(mono, at.rate, None if params.mains == "as found" else float(params.mains))
        return {"frequency": np.array(found.frequency_hz if found else np.nan)}

    def glance(self, params: HumParams, read: Read, at: Context) -> Summary:
        """From one stretch in the middle: parts side by side would break the hum's phase."""
        count = min(at.frames, round(GLANCED_PARTS * GLANCED_S * at.rate))
        return self.analyse(params, iter([read((at.frames - count) // 2, count)]), at)

    def found(self, summary: Summary) -> str:
        mains = float(summary["frequency"])
        return "no hum found" if np.isnan(mains) else f"hum at {mains:.2f} Hz"

    def lead(self, params: HumParams, at: Context) -> int:
        # a notch forgets by its width: e to the minus pi times width times time; neighbours add a little
        return int(-np.log(SETTLED) / (np.pi * params.width_hz) * 1.4 * at.rate)

    def stream(self, params: HumParams, summary: Summary, at: Context, position: int) -> Stream:
        mains = float(summary["frequency"])
        if np.isnan(mains):
            return Simple(lambda block: block, at.channels)
        lines = [mains * place for place in range(1, round(params.harmonics) + 1) if mains * place < 0.45 * at.rate]
        sections = np.concatenate([cookbook("notch", hz, 0.0, hz / params.width_hz, at.rate) for hz in lines])
        return Simple(Humless(sections, 1 - amplitude(-params.reduction_db), at.channels), at.channels)
