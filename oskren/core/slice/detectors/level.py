"""Slices where the level rises over the measured floor, with a hysteresis; an attack inside a sound may begin another."""

from __future__ import annotations

import numpy as np

from oskren.core.measure import noise
from oskren.core.slice.detectors.base import Detector, register
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings, threshold
from oskren.core.types import Floats, Samples


def _mean(power: Samples, hops: int) -> Floats:
    from scipy.ndimage import uniform_filter1d

    # a running sum may end a hair below zero
    return np.asarray(np.maximum(uniform_filter1d(power.astype(np.float64), max(1, hops), mode="constant"), 0.0))


def _runs(mask: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], mask.view(np.int8), [0]])))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def find(levels: Levels, settings: SliceSettings) -> list[FoundSlice]:
    """Slices in order, never overlapping; none for silence.

    A slice opens where the level (5 ms mean) passes the threshold and closes where it stays 6 dB below it; gaps shorter
    than ``min_gap_ms`` are closed; its start is walked back to where the sound leaves the floor.
    """
    if not len(levels.power) or levels.power.max() <= noise.SILENT_POWER:
        return []
    ms = max(1, round(0.001 / levels.hop_s))
    open_at = 10 ** (threshold(levels, settings) / 10)
    close_at = 10 ** (max(threshold(levels, settings) - 6.0, levels.floor_dbfs + min(3.0, settings.sensitivity_db / 2)) / 10)
    fast, slow = _mean(levels.power, 5 * ms), _mean(levels.power, 25 * ms)
    regions: list[list[int]] = []
    opens = fast > open_at
    for first, last in _runs(slow > close_at):
        inside = np.flatnonzero(opens[first:last])
        if not len(inside):
            continue
        start = first + int(inside[0])
        if regions and start - regions[-1][1] < settings.min_gap_ms * ms:
            regions[-1][1] = last
        else:
            regions.append([start, last])
    leaving = 10 ** ((levels.floor_dbfs + min(6.0, settings.sensitivity_db * 0.6)) / 10)
    attacks = _attacks(levels, settings, ms, open_at) if settings.attacks != "off" else []
    pieces: list[tuple[int, int]] = []
    for index, (start, last) in enumerate(regions):
        behind = regions[index - 1][1] if index else 0
        at = start
        while at > max(behind, start - 40 * ms) and levels.power[at - 1] > leaving:
            at -= 1
        # the 5 ms mean opens early: go forward to the first hop that stands clear
        while at < start and levels.power[at] <= leaving:
            at += 1
        at = _first_clear(levels.power, at, min(last, start + 6 * ms), leaving)
        cuts = [at]
        for attack in attacks:
            if at + settings.min_gap_ms * ms <= attack < last and attack - cuts[-1] >= max(settings.min_gap_ms, settings.min_length_ms) * ms:
                cuts.append(attack)
        ends = [*cuts[1:], last]
        pieces += list(zip(cuts, ends, strict=True))
    found: list[FoundSlice] = []
    for i, (attack, end) in enumerate(pieces):
        if (end - attack) < settings.min_length_ms * ms:
            continue
        following = pieces[i + 1][0] * levels.hop_s - settings.pre_roll_ms / 1000 if i + 1 < len(pieces) else levels.seconds
        start_s = max(found[-1].end_s if found else 0.0, attack * levels.hop_s - settings.pre_roll_ms / 1000)
        end_s = min(max(end * levels.hop_s + settings.tail_ms / 1000, attack * levels.hop_s), max(following, attack * levels.hop_s), levels.seconds)
        if end_s > start_s:
            found.append(FoundSlice(start_s=round(start_s, 6), end_s=round(end_s, 6), attack_s=round(attack * levels.hop_s, 6)))
    return found


def _first_clear(power: Samples, at: int, limit: int, over: float) -> int:
    ahead = np.flatnonzero(power[at:limit] > over)
    return at + int(ahead[0]) if len(ahead) else at


def _attacks(levels: Levels, settings: SliceSettings, ms: int, open_at: float) -> list[int]:
    """Hops where the level, or that of the upper bands, rises by ``rise_db`` within 12 ms and stands over the threshold."""
    lag = 12 * ms
    best = np.zeros(len(levels.power))
    for power, floor in ((levels.power, levels.floor_dbfs), (levels.bright, levels.bright_floor_dbfs)):
        after = 10 * np.log10(np.maximum(_mean(power, 4 * ms), 10 ** ((floor + 3) / 10)))
        before = np.concatenate([np.full(lag, after[0]), 10 * np.log10(np.maximum(_mean(power, 10 * ms), 10 ** ((floor + 3) / 10)))])[: len(after)]
        np.maximum(best, after - before, out=best)
    best[_mean(levels.power, 5 * ms) < open_at] = 0
    from scipy.ndimage import maximum_filter1d

    tops = np.flatnonzero((best >= settings.rise_db) & (best == maximum_filter1d(best, max(3, round(settings.min_gap_ms * ms)))))
    result = []
    for top in tops.tolist():
        # the rise is largest a little after its start: go back to the steepest single step
        window = 10 * np.log10(levels.power[max(0, top - lag) : top + 2] + 1e-14)
        steps = np.diff(window)
        result.append(max(0, top - lag) + 1 + int(np.argmax(steps)) if len(steps) else top)
    return result


LEVEL = register(Detector(key="level", settings=("sensitivity_db", "min_length_ms", "min_gap_ms", "pre_roll_ms", "tail_ms", "attacks", "rise_db"), find=find))
