"""Suggestions for a raw take, computed from its audio: quiet stretches, bumps, clipped parts, hum, distinct events."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

import numpy as np
from pydantic import BaseModel

from oskren.core.measure import noise
from oskren.core.measure.bumps import find_bumps
from oskren.core.measure.clipped import clipped_runs
from oskren.core.measure.hum import find_hum
from oskren.core.measure.levels import db
from oskren.core.slice.detect import SliceSettings, analyse, detect
from oskren.core.slice.levels import HOP_S
from oskren.core.types import Floats, Samples

CHUNK_S = 40.0
OVERLAP_S = 2.0
QUIET_S = 1.0
APART_S = 5.0
MOST_QUIET = 4
HUM_RATE = 4000
CLIPPED_DBFS = -12.0
"""What was cut off lower than this was not clipped in the recording."""

EVENTS = SliceSettings(by="level", sensitivity_db=12.0, min_length_ms=150, min_gap_ms=700, pre_roll_ms=120, tail_ms=400, attacks="off")


class Suggested(BaseModel):
    """One suggestion: what it is, where (s), and how strong (dB; count for clipped parts)."""

    kind: str
    start_s: float
    end_s: float
    strength: float = 0.0


class Suggestions(BaseModel):
    """What was found in a take, in order of time; hum has no place but a frequency (Hz)."""

    found: list[Suggested]
    hum_hz: float | None
    floor_dbfs: float
    seconds: float


class _Watching:
    """Looks for bumps and clipped runs, and gathers the lows for hum, while blocks pass."""

    def __init__(self, rate: int):
        import soxr

        self.rate = rate
        self.bumps: list[Suggested] = []
        self.cut: list[tuple[float, float, float]] = []
        self._lows: list[Samples] = []
        self._down = soxr.ResampleStream(rate, HUM_RATE, 1, dtype="float32", quality="LQ")
        self._held: Samples | None = None
        self._begins = 0.0

    def through(self, blocks: Iterable[Samples]) -> Iterator[Samples]:
        for block in blocks:
            self._lows.append(self._down.resample_chunk(np.ascontiguousarray(block.mean(axis=1, dtype=np.float32))))
            self._held = block if self._held is None else np.concatenate([self._held, block])
            if len(self._held) >= CHUNK_S * self.rate:
                self._look(last=False)
            yield block
        self._look(last=True)

    def lows(self) -> Samples:
        self._lows.append(self._down.resample_chunk(np.zeros(0, np.float32), last=True))
        return np.concatenate(self._lows)

    def _look(self, *, last: bool) -> None:
        if self._held is None or not len(self._held):
            return
        end = self._begins + len(self._held) / self.rate
        sure = end if last else end - OVERLAP_S / 2
        after = self._begins + OVERLAP_S / 2 if self._begins else 0.0
        for lane in self._held.T:
            one = lane.astype(np.float64)
            for bump in find_bumps(one, self.rate):
                if after <= self._begins + bump.start_s < sure:
                    self.bumps.append(Suggested(kind="bump", start_s=self._begins + bump.start_s, end_s=self._begins + bump.end_s, strength=bump.height_db))
            if db(float(np.abs(one).max(initial=0.0))) > CLIPPED_DBFS:
                for first, end_ in clipped_runs(one):
                    if after <= self._begins + first / self.rate < sure:
                        self.cut.append((self._begins + first / self.rate, self._begins + end_ / self.rate, float(np.abs(one[first]))))
        if not last:
            keep = round(OVERLAP_S * self.rate)
            self._begins += (len(self._held) - keep) / self.rate
            self._held = self._held[-keep:].copy()


def _joined(parts: list[Suggested], gap_s: float) -> list[Suggested]:
    """Parts of one kind, those closer than ``gap_s`` made one with the higher strength."""
    joined: list[Suggested] = []
    for part in sorted(parts, key=lambda one: one.start_s):
        if joined and part.start_s - joined[-1].end_s < gap_s:
            before = joined[-1]
            joined[-1] = before.model_copy(update={"end_s": max(before.end_s, part.end_s), "strength": max(before.strength, part.strength)})
        else:
            joined.append(part)
    return joined


def quiet_stretches(power: Floats) -> list[tuple[float, float]]:
    """The quietest seconds of a sound from the powers of its 50 ms frames, apart from each other, none of digital silence."""
    left = power.copy()
    found: list[tuple[float, float]] = []
    while len(found) < MOST_QUIET and (part := noise.quietest_part(left, QUIET_S)) is not None:
        if part[1] - part[0] < QUIET_S * 0.99:
            break
        found.append(part)
        first, last = (max(0, round(end / noise.FRAME_S)) for end in (part[0] - APART_S, part[1] + APART_S))
        left[first:last] = 0.0  # taken for digital silence, and so left out
    return sorted(found)


def suggest(blocks: Iterable[Samples], rate: int) -> Suggestions:
    """Suggestions from one pass over blocks of shape (frames, channels).

    Parameters
    ----------
    blocks : iterable of array, shape (frames, channels)
        The sound, block by block.
    rate : int
        Sample rate in Hz.

    Returns
    -------
    Suggestions
        Quiet parts to learn noise from, hum, clicks, clipping: each with where and how strong.
    """
    watching = _Watching(rate)
    levels = analyse(watching.through(blocks), rate)
    hum = find_hum(watching.lows(), HUM_RATE)
    frame = round(noise.FRAME_S / HOP_S)
    whole = len(levels.power) // frame
    power = levels.power[: whole * frame].reshape(whole, frame).mean(axis=1, dtype=np.float64)
    heard = power[power > noise.SILENT_POWER]
    if not levels.floor_visible and len(heard):
        # few events in a long take: what most of it is like is its floor; steady hum would hide in a floor of shorter moments
        levels = replace(levels, floor_dbfs=float(10 * np.log10(np.percentile(heard, 20))))
    found = [Suggested(kind="quiet", start_s=start, end_s=end) for start, end in quiet_stretches(power)]
    found += _joined(watching.bumps, 0.1)
    if watching.cut:
        highest = max(level for _, _, level in watching.cut)
        runs = [Suggested(kind="clipped", start_s=a, end_s=b, strength=1) for a, b, level in watching.cut if level > 0.98 * highest]
        for part in _joined(runs, 0.25):
            count = sum(part.start_s <= run.start_s <= part.end_s for run in runs)
            found.append(part.model_copy(update={"strength": float(count)}))
    for event in detect(levels, EVENTS):
        inside = levels.power[round(event.start_s / HOP_S) : max(round(event.start_s / HOP_S) + 1, round(event.end_s / HOP_S))]
        over = 10 * np.log10(max(float(inside.max(initial=0.0)), 1e-14)) - levels.floor_dbfs
        found.append(Suggested(kind="event", start_s=event.start_s, end_s=event.end_s, strength=round(float(over), 1)))
    ordered = sorted(found, key=lambda one: one.start_s)
    return Suggestions(
        found=[
            one.model_copy(update={"start_s": round(one.start_s, 4), "end_s": round(min(one.end_s, levels.seconds), 4), "strength": round(one.strength, 1)})
            for one in ordered
        ],
        hum_hz=round(hum.frequency_hz, 3) if hum else None,
        floor_dbfs=round(levels.floor_dbfs, 1),
        seconds=levels.seconds,
    )
