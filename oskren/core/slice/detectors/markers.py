"""Slices that begin at the markers and cue points of the file, up to the next or to where the sound ends."""

from __future__ import annotations

import itertools

import numpy as np

from oskren.core.measure import noise
from oskren.core.slice.detectors.base import Detector, register
from oskren.core.slice.detectors.sounds import CLOSE_DB
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings


def _end(levels: Levels, start_s: float, next_s: float, tail_s: float) -> float:
    """Where what sounds between two markers has sunk back to its floor, and the tail after it; the next marker at the latest."""
    tracks = levels.standing
    # the level is a mean over 32 ms: what begins at the next marker reaches before it
    first, last = round(start_s / tracks.hop_s), round((next_s - 0.02) / tracks.hop_s)
    heard = np.flatnonzero(tracks.slow[first:last] > CLOSE_DB)
    return next_s if not len(heard) else min(next_s, (first + int(heard[-1]) + 1) * tracks.hop_s + tail_s)


def find(levels: Levels, settings: SliceSettings) -> list[FoundSlice]:
    """A slice from every marker; those at one moment are one, and a part that is marked is one from its begin to its end."""
    if not len(levels.power) or levels.power.max() <= noise.SILENT_POWER:
        return []
    before = settings.pre_roll_ms / 1000
    marked = {round(at, 6): end for at, end in sorted(levels.markers) if 0 <= at < levels.seconds}
    found: list[FoundSlice] = []
    for (at, to), (following, _) in itertools.pairwise([*marked.items(), (levels.seconds + before, 0.0)]):
        start = max(0.0, at - before, found[-1].end_s if found else 0.0)
        end = min(following - before, levels.seconds)
        if to > at:
            end = min(end, to)
        elif settings.until == "sound":
            end = _end(levels, at, end, settings.tail_ms / 1000)
        if end > max(start, at):
            found.append(FoundSlice(start_s=round(start, 6), end_s=round(end, 6), attack_s=round(at, 6)))
    return found


MARKERS = register(Detector(key="markers", settings=("until", "pre_roll_ms", "tail_ms"), find=find))
