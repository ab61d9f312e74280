"""Tilt: the step that docs/steps.md adds as its example."""

from __future__ import annotations

import numpy as np

from oskren.core.controls import number
from oskren.core.steps.base import Params, register
from oskren.core.steps.equaliser import FilterKind, cookbook
from oskren.core.types import Floats

WIDTH = 0.5
"""Quality of the two shelves: low, so that the spectrum tips instead of stepping."""


class TiltParams(Params):
    tilt_db: float = number(0.0, -18, 18, "dB", "Tilt")
    pivot_hz: float = number(800.0, 60, 8000, "Hz", "Around", "log")


@register
class Tilt(FilterKind):
    """Tilts the spectrum around a frequency: brighter one way, darker the other."""

    key, label, params = "tilt", "Tilt", TiltParams
    words = "brighter darker tone balance warmer colder duller"
    moving = ("tilt_db",)
    settings = {"nearer": {"tilt_db": 4.0}, "in the next room": {"tilt_db": -9.0, "pivot_hz": 500.0}}

    def sections(self, params: Params, rate: int) -> Floats:
        assert isinstance(params, TiltParams)
        half = params.tilt_db / 2
        return np.concatenate([cookbook(kind, params.pivot_hz, sign * half, WIDTH, rate) for kind, sign in (("low shelf", -1), ("high shelf", 1))])
