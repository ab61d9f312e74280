"""Which draws are taken: one after the other, each that breaks a guard or repeats an earlier one not."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from oskren.core.types import Floats
from oskren.core.vary import apart
from oskren.core.vary.guards import Guards, broken

TRIES = 4
"""So many numbers are tried for each draw that is wanted, on the average; then what is drawn is taken as it is."""


class Taking:
    """Where the draws that were taken lie, by the number of each."""

    def __init__(self, guards: Guards, wanted: int):
        self._guards, self._left = guards, TRIES * wanted
        self._points: dict[int, Floats] = {}

    def keep(self, number: int, measures: Mapping[str, Any], seconds: float) -> None:
        """Note a draw that is taken."""
        found = apart.point(measures, seconds)
        if found is not None:
            self._points[number] = found

    def refused(self, measures: Mapping[str, Any], seconds: float) -> str:
        """Why a draw is not taken, as the end of a sentence; empty when it is, or when no more numbers are tried (:attr:`tired`)."""
        why = broken(self._guards, measures, seconds)
        found = apart.point(measures, seconds) if not why and self._guards.apart and self._points else None
        if found is not None:
            numbers = list(self._points)
            far = np.linalg.norm(np.array([self._points[number] for number in numbers]) - found, axis=1)
            if far.min() < self._guards.apart:
                why = f"it repeats No {numbers[int(np.argmin(far))]}"
        return why

    def another(self) -> bool:
        """Whether one more number may be tried."""
        self._left -= 1
        return self._left >= 0
