"""Sounds that stand over a floor which is followed; whether attacks inside one begin another is decided by place.

A sound is open where its bands stand over their floor, and closed where they have sunk back to it. Where sounds stand apart, each is
one slice however many attacks it has inside; where a new one starts in the tail of the last, attacks inside begin slices. Which of the
two a place is, the attacks around it tell: textures and single sounds have many weak ones, overlapping sounds few strong ones and little
silence between.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from oskren.core.measure import noise
from oskren.core.measure.runs import runs_of
from oskren.core.slice.bands import Standing
from oskren.core.slice.detectors.base import Detector, Inside, register
from oskren.core.slice.levels import FoundSlice, Levels, SliceSettings
from oskren.core.types import Samples

CLOSE_DB, BACK_DB = 2.5, 2.0
"""Where a sound ends, and from where it may begin: dB over the floor, as a mean of bands."""

WEAK_DB, WEAK_RISE_DB = 12.0, 4.0
"""What neither stands so high nor rises so steeply is the floor moving."""

FAR_S, CLEAR_RISE_DB = 0.4, 8.0
"""What begins so soon after a sound, and without a clear attack, is the rest of it, come out of the floor once more."""

CANDIDATE_DB, NEAR_S, FEWEST = 6.0, 5.0, 6
APART_DB, PER_SILENCE_DB, SHARE, REACH = 10.5, 20.0, 0.5, 8
"""Attacks inside begin slices where their weighted median is over APART_DB, and so much more for the share of silence around. What lies
further than REACH times NEAR_S counts for nothing."""

APART_S, SOON_DB, SOON_S = 0.08, 12.0, 0.2
"""Attacks so close are one; soon after the last start one must be steeper, by an exponential that falls over SOON_S."""


@dataclass
class _Sound:
    """A sound that stands over the floor, in hops: where it rises over it, where it opens, where it has sunk back."""

    rises: int
    opens: int
    ends: int


def _sounds(tracks: Standing, settings: SliceSettings) -> list[_Sound]:
    hop, found = tracks.hop_s, list[_Sound]()
    gap, far = settings.min_gap_ms / 1000 / hop, FAR_S / hop
    slow = min(CLOSE_DB, settings.sensitivity_db / 2)
    for first, last in zip(*runs_of(tracks.slow > slow), strict=True):
        open_ = np.flatnonzero(tracks.fast[first:last] > settings.sensitivity_db)
        if not len(open_):
            continue
        opens = int(first + open_[0])
        while opens > first and tracks.fast[opens - 1] > min(BACK_DB, slow):
            opens -= 1
        rise = tracks.strength[max(0, opens - 3) : opens + 8].max()
        if found and (first - found[-1].ends < gap or (first - found[-1].ends < max(far, gap) and rise < CLEAR_RISE_DB)):
            found[-1].ends = int(last)
        elif tracks.fast[first:last].max() >= WEAK_DB or rise >= WEAK_RISE_DB:
            found.append(_Sound(int(first), opens, int(last)))
    return found


def _candidates(tracks: Standing, sounds: list[_Sound]) -> list[NDArray[np.int64]]:
    from scipy.ndimage import maximum_filter1d

    tops = maximum_filter1d(tracks.strength, 2 * max(1, round(APART_S / 2 / tracks.hop_s)) + 1)
    places = np.flatnonzero((tracks.strength == tops) & (tracks.strength >= CANDIDATE_DB))
    edges = np.searchsorted(places, [[one.opens + APART_S / tracks.hop_s, one.ends] for one in sounds]) if sounds else np.zeros((0, 2), int)
    return [places[first:last] for first, last in edges]


def _split(tracks: Standing, sounds: list[_Sound], inside: list[NDArray[np.int64]]) -> list[bool]:
    """Of every sound whether attacks inside it begin slices, told by the attacks, the sounds and the silence around."""
    hop, attacks = tracks.hop_s, np.concatenate([np.zeros(0, np.int64), *inside])
    if len(attacks) < FEWEST:
        return [False] * len(sounds)
    begins = np.array([one.opens for one in sounds])
    heard = np.zeros(len(tracks.slow) + 1, np.int32)
    np.add.at(heard, [one.rises for one in sounds], 1)
    np.add.at(heard, [one.ends for one in sounds], -1)
    cells = np.arange(0, len(tracks.slow), round(0.1 / hop))
    silent = np.cumsum(heard)[cells] == 0

    def around(places: NDArray[np.int64], one: _Sound) -> tuple[slice, NDArray[np.float64]]:
        """Which of the places, in order, are near enough to count, and how much."""
        reach = REACH * NEAR_S / hop
        part = slice(*np.searchsorted(places, [one.rises - reach, one.ends + reach]).tolist())
        here = places[part]
        return part, np.asarray(np.exp(-np.maximum(0, np.maximum(one.rises - here, here - one.ends)) * hop / NEAR_S))

    def told(one: _Sound) -> bool:
        part, near = around(attacks, one)
        strengths = tracks.strength[attacks[part]]
        order = np.argsort(strengths, kind="stable")
        sums = np.cumsum(near[order])
        median = strengths[order][np.searchsorted(sums, sums[-1] / 2)]
        there, time = around(cells, one)
        wanted = APART_DB + PER_SILENCE_DB * float(time[silent[there]].sum() / time.sum())
        return bool(median >= wanted and sums[-1] >= SHARE * around(begins, one)[1].sum())

    return [told(one) if len(places) else False for one, places in zip(sounds, inside, strict=True)]


def _begins(tracks: Standing, settings: SliceSettings, first: int, places: NDArray[np.int64]) -> list[int]:
    begins = [first]
    for place in places.tolist():
        since = (place - begins[-1]) * tracks.hop_s
        if since >= APART_S and tracks.strength[place] >= settings.rise_db + SOON_DB * np.exp(-since / SOON_S):
            begins.append(place)
    return begins


def _refined(bright: Samples, at_s: float, hop_s: float, least: int) -> int:
    """The 1 ms cell near a moment in which the upper bands first rise over what lay before; not before the cell ``least``."""
    at = round(at_s / hop_s)
    first, last = max(least, at - 12), min(len(bright), at + 25)
    if first >= last:
        return max(least, min(at, len(bright) - 1))
    peak, before = bright[first:last].max(), bright[max(least, first - 40) : first]
    lay = 0.0 if not len(before) else float(before.max()) if before.max() < peak / 100 else 4 * float(np.median(before))
    over = np.flatnonzero(bright[first:last] > max(lay, peak / 1000))
    if not len(over):
        return at
    # from the highest back to where it began: a single cell that stands out before is not the attack
    begin = int(np.searchsorted(over, int(np.argmax(bright[first:last])), side="right")) - 1
    while begin > 0 and over[begin] - over[begin - 1] <= 2:
        begin -= 1
    return first + int(over[max(0, begin)])


def _end(tracks: Standing, one: _Sound) -> int:
    """The hop in which a sound meets the floor: the level that says it ended reaches half its window further."""
    end, least = one.ends, max(one.opens + 1, one.ends - round(0.016 / tracks.hop_s))
    while end > least and tracks.fast[end - 1] < CLOSE_DB:
        end -= 1
    return end


@functools.lru_cache(maxsize=2)
def _look(levels: Levels, settings: SliceSettings) -> tuple[tuple[tuple[int, float], ...], Inside]:
    """Begin (1 ms cells) and end (s) of every slice, and what was made of attacks inside; kept, since both are asked for one after the other."""
    tracks, cell = levels.standing, levels.hop_s
    sounds = _sounds(tracks, settings)
    inside = _candidates(tracks, sounds)
    ways: dict[str, list[bool]] = {"on": [True] * len(sounds), "off": [False] * len(sounds)}
    split = ways.get(settings.attacks) or (_split(tracks, sounds, inside) if settings.attacks == "auto" else [])
    found: list[tuple[int, float]] = []
    for one, places, parted in zip(sounds, inside, split, strict=True):
        begins = _begins(tracks, settings, one.opens, places) if parted else [one.opens]
        behind = round(found[-1][1] / cell) if found else 0
        cells: list[int] = []
        for begin in begins:
            cells.append(_refined(levels.bright, begin * tracks.hop_s, cell, max(behind, cells[-1] + 1 if cells else 0)))
        end = min(levels.seconds, _end(tracks, one) * tracks.hop_s)
        found += list(zip(cells, [*(begin * cell for begin in cells[1:]), max(end, (cells[-1] + 1) * cell)], strict=True))
    heard = [one.ends - one.rises for one in sounds]
    many = sum(parted and len(places) > 0 for parted, places in zip(split, inside, strict=True))
    strengths = tracks.strength[np.concatenate([np.zeros(0, np.int64), *inside])]
    taken: Literal["apart", "overlapping", "both"] = "apart" if not many else "overlapping" if many > 0.8 * sum(len(one) > 0 for one in inside) else "both"
    return tuple(found), Inside(
        taken=taken,
        sounds=len(sounds),
        parted=many,
        attacks=len(strengths),
        rise_db=round(float(np.median(strengths)), 1) if len(strengths) else None,
        quiet=round(max(0.0, 1 - sum(heard) / max(1, len(tracks.slow))), 3),
    )


def find(levels: Levels, settings: SliceSettings) -> list[FoundSlice]:
    """Slices in order, never overlapping; none for silence."""
    if not len(levels.power) or levels.power.max() <= noise.SILENT_POWER:
        return []
    pieces, _ = _look(levels, settings)
    found: list[FoundSlice] = []
    before, tail = settings.pre_roll_ms / 1000, settings.tail_ms / 1000
    for i, (begin, end) in enumerate(pieces):
        attack = begin * levels.hop_s
        if (end - attack) * 1000 < settings.min_length_ms:
            continue
        following = pieces[i + 1][0] * levels.hop_s - before if i + 1 < len(pieces) else levels.seconds
        start_s = max(found[-1].end_s if found else 0.0, attack - before)
        end_s = min(max(end + tail, attack), max(following, attack), levels.seconds)
        if end_s > start_s:
            found.append(FoundSlice(start_s=round(start_s, 6), end_s=round(end_s, 6), attack_s=round(attack, 6)))
    return found


SOUNDS = register(
    Detector(
        key="sounds",
        settings=("sensitivity_db", "min_length_ms", "min_gap_ms", "pre_roll_ms", "tail_ms", "attacks", "rise_db"),
        find=find,
        inside=lambda levels, settings: _look(levels, settings)[1],
    )
)
