"""What worker processes do for Slice: the levels that slices are found by, and zero crossings near their edges."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio.replacing import replacing
from oskren.core.nodes.model import NodeAdapter
from oskren.core.slice import detect
from oskren.core.slice.bands import Standing
from oskren.core.slice.edges import REACH_S, nearest_crossing
from oskren.work.engine.place import Workplace


def slice_levels(place: Workplace, node: dict[str, Any], keep: str) -> None:
    """Measure the levels slices are found by, once, and keep them in a file."""
    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    found = detect.analyse(renderer.stream(parsed), renderer.output_shape(parsed).rate)
    with replacing(Path(keep)) as temporary, open(temporary, "wb") as stream:
        np.savez(
            stream,
            power=found.power,
            bright=found.bright,
            slow=found.standing.slow,
            fast=found.standing.fast,
            strength=found.standing.strength,
            floor_db=found.standing.floor_db,
            facts=np.array([found.hop_s, found.seconds, found.floor_dbfs, found.floor_visible, found.bright_floor_dbfs, found.standing.hop_s]),
        )


def crossings(place: Workplace, node: dict[str, Any], moments_s: Sequence[float]) -> list[float]:
    """The zero crossings of a node nearest to some moments (s); a moment that has none near it stays."""
    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    rate = renderer.output_shape(parsed).rate
    found = []
    for moment in moments_s:
        at = round(moment * rate)
        first = max(0, at - round(REACH_S * rate))
        near = nearest_crossing(renderer.read(parsed, first, at + round(REACH_S * rate) + 1 - first), at - first)
        found.append(moment if near is None else (first + near) / rate)
    return found


def load_levels(path: Path) -> detect.Levels:
    """Read what ``slice_levels`` kept."""
    with np.load(path) as stored:
        hop, seconds, floor, visible, bright, step = (float(value) for value in stored["facts"])
        tracks = Standing(step, stored["slow"], stored["fast"], stored["strength"], stored["floor_db"])
        return detect.Levels(stored["power"], stored["bright"], hop, seconds, floor, bool(visible), bright, tracks)
