"""What is searched of a sound's measures, as one small row of float32: read for a whole library at once without JSON."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from oskren.core.measure import likeness, timbre
from oskren.core.measure.key import KEYS

MEASURED: dict[str, str] = {
    "peak": "sample_peak_dbfs",
    "loudness": "integrated_lufs",
    "brightness": "brightness_hz",
    "bandwidth": "bandwidth_hz",
    "pitch": "pitch_hz",
    "noise": "noise_floor_dbfs",
    "force": "force",
    "clipped": "clipped_samples",
    "notes": "notes",
}
"""Searched field and the measure it is."""

ANCHORS = ("hit", "top", "end", "start")
BEFORE = len(MEASURED) + 2 + len(likeness.NAMES)
"""Length of a row of before timbre was measured; such rows stay as they are until their sound is measured anew."""

FIELDS = (*MEASURED, "key", "anchor", *(f"likeness {name}" for name in likeness.NAMES), *(f"timbre {place}" for place in range(timbre.NUMBERS)))
SURE_PITCH = 0.5
"""A pitch less sure than this is not searched by (and not shown)."""


def vector_of(measures: Mapping[str, Any], seconds: float) -> bytes:
    """The row of a sound; NaN where a value cannot be had."""
    values = [measures.get(name) for name in MEASURED.values()]
    row = [np.nan if value is None else float(value) for value in values]
    if (measures.get("pitch_confidence") or 0.0) < SURE_PITCH:
        row[list(MEASURED).index("pitch")] = np.nan
    key = measures.get("key")
    row.append(float(KEYS.index(key)) if key in KEYS else np.nan)
    kind = measures.get("anchor_kind")
    row.append(float(ANCHORS.index(kind)) if kind in ANCHORS else float(ANCHORS.index("start")))
    described = likeness.describe(measures, seconds)
    row += [np.nan] * len(likeness.NAMES) if described is None else described.tolist()
    placed = measures.get("timbre") or ()
    row += placed if len(placed) == timbre.NUMBERS else [np.nan] * timbre.NUMBERS
    return np.array(row, np.float32).tobytes()


def table_of(vectors: Sequence[bytes]) -> NDArray[np.float32]:
    """Rows of sounds as one table, shape (n, fields): NaN what a row of before has not got, and all of one that is none."""
    blank = np.full(len(FIELDS), np.nan, np.float32).tobytes()
    since = blank[4 * BEFORE :]
    whole = b"".join(one if len(one) == len(blank) else one + since if len(one) == 4 * BEFORE else blank for one in vectors)
    return np.frombuffer(whole, np.float32).reshape(-1, len(FIELDS))


def measured_of(vector: bytes) -> dict[str, float]:
    """The measures in a row, rounded; what could not be had is left out."""
    values = np.frombuffer(vector, np.float32, len(MEASURED)).tolist() if vector else []
    return {name: round(value, 3) for name, value in zip(MEASURED, values, strict=False) if value == value}


def measured_key(vector: bytes) -> str | None:
    """The key in a row, by name."""
    place = float(np.frombuffer(vector, np.float32, 1, 4 * len(MEASURED))[0]) if vector else float("nan")
    return KEYS[int(place)] if place == place else None
