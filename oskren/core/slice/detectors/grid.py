"""Slices of one length, one after the other: for loops of a known tempo, and for beds that are to be cut into equal parts."""

from __future__ import annotations

import math

from oskren.core.measure import noise
from oskren.core.slice.detectors.base import Detector, register
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings

MOST = 20_000
"""More slices than a plan is worked with; the grid is as much coarser as it must be."""

SHORTEST_SHARE = 0.5
"""A rest at the end that is shorter than this share of a slice belongs to the last one."""


def find(levels: Levels, settings: SliceSettings) -> list[FoundSlice]:
    """Slices every ``spacing_s`` from ``first_s`` on, up to the end of the sound; a short rest belongs to the last."""
    if not len(levels.power) or levels.power.max() <= noise.SILENT_POWER:
        return []
    every = max(settings.spacing_s, (levels.seconds - settings.first_s) / MOST)
    count = max(1, math.floor((levels.seconds - settings.first_s) / every + 1 - SHORTEST_SHARE))
    edges = [settings.first_s + k * every for k in range(count)]
    ends = [*edges[1:], levels.seconds]
    return [
        FoundSlice(start_s=round(start, 6), end_s=round(min(end, levels.seconds), 6), attack_s=round(start, 6))
        for start, end in zip(edges, ends, strict=True)
        if start < levels.seconds
    ]


GRID = register(Detector(key="grid", settings=("spaced", "every_s", "bpm", "beats", "first_s"), find=find))
