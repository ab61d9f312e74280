"""Repair: what does not belong to a sound is found, taken out and filled in."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from pydantic import Field

from oskren.core.controls import choice, number
from oskren.core.measure import prediction
from oskren.core.measure.bumps import LOW_RATE, filled_lows, find_bumps
from oskren.core.measure.hum import find_hum
from oskren.core.measure.levels import amplitude, db
from oskren.core.steps.base import GLANCED_PARTS, GLANCED_S, Context, Finding, Params, Read, Simple, StepKind, Stream, Summary, register, spread
from oskren.core.steps.equaliser import SETTLED, Sections, cookbook
from oskren.core.types import AnyArray, Floats, Samples

CONTEXT = 768
"""Frames on either side that a repair looks at."""

CLOSE = 128
"""Frames within which another part is filled together with this one."""


@register
class Dc(StepKind):
    """Removes a constant offset, measured over the whole sound."""

    key, label, family, analyses = "dc", "DC offset away", "Clean", True
    words = "offset cleaner repair"
    portable = True

    def analyse(self, params: Params, blocks: Iterator[Samples], at: Context) -> Summary:
        total, frames = np.zeros(at.channels), 0
        for block in blocks:
            total += block.sum(axis=0, dtype=np.float64)
            frames += len(block)
        return {"offset": total / max(1, frames)}

    def glance(self, params: Params, read: Read, at: Context) -> Summary:
        return self.analyse(params, spread(read, at), at)

    def localise(self, params: Params, learned: Summary, blocks: Iterator[Samples], at: Context) -> Summary:
        offset = learned["offset"]
        return {"offset": offset if len(offset) == at.channels else np.full(at.channels, offset.mean())}

    def found(self, summary: Summary) -> str:
        highest = float(np.abs(summary["offset"]).max(initial=0.0))
        return f"offset of {db(highest):.0f} dBFS" if highest > 1e-5 else "no offset"

    def stream(self, params: Params, summary: Summary, at: Context, position: int) -> Stream:
        offset = summary["offset"].astype(np.float32)
        return Simple(lambda block: block - offset, at.channels)


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


Fill = Callable[[Floats, AnyArray], Floats]


class Patching:
    """Replaces stretches found beforehand, each by what the frames around it say; blocks of any size give the same.

    Parameters
    ----------
    parts : array, shape (n, 3)
        Channel, first frame, frame after the last, in frames of the input.
    fill : function
        (samples with context, missing) to filled samples.
    """

    def __init__(self, parts: AnyArray, longest: int, fill: Fill, at: Context, position: int):
        self._parts = parts[np.argsort(parts[:, 1], kind="stable")]
        self._fill = fill
        self._longest = longest
        self._ahead = CONTEXT + longest
        self._held: Samples = np.zeros((0, at.channels), np.float32)
        self._begins = position
        self._given = position

    def push(self, block: Samples) -> Samples:
        self._held = np.concatenate([self._held, block])
        return self._give(self._begins + len(self._held) - self._ahead)

    def flush(self) -> Samples:
        return self._give(self._begins + len(self._held))

    def _give(self, limit: int) -> Samples:
        if limit <= self._given:
            return self._held[:0]
        out = self._held[self._given - self._begins : limit - self._begins].copy()
        for lane, first, last in self._between(self._given, limit):
            self._patch(out, limit, int(lane), int(first), int(last))
        self._given = limit
        spare = max(0, self._given - self._ahead - self._begins)
        self._held, self._begins = self._held[spare:], self._begins + spare
        return out

    def _between(self, start: int, end: int) -> AnyArray:
        """Parts that reach into a stretch."""
        first, last = np.searchsorted(self._parts[:, 1], [start - self._longest, end])
        near = self._parts[first:last]
        return np.asarray(near[near[:, 2] > start])

    def _patch(self, out: Samples, limit: int, lane: int, first: int, last: int) -> None:
        start, end = max(self._begins, first - CONTEXT), min(self._begins + len(self._held), last + CONTEXT)
        missing = np.zeros(end - start, bool)
        # others close by are missing too
        for other, a, b in self._between(first - CLOSE, last + CLOSE):
            if other == lane:
                missing[max(0, int(a) - start) : max(0, int(b) - start)] = True
        known = ~missing
        if known.sum() < 16:
            return
        filled = self._fill(self._held[start - self._begins : end - self._begins, lane].astype(np.float64), missing)
        a, b = max(first, self._given), min(last, limit)
        out[a - self._given : b - self._given, lane] = filled[a - start : b - start]


def left_alone(parts: AnyArray, skip: tuple[float, ...], at: Context) -> AnyArray:
    """Which parts (channel, first, after the last) hold a moment that is to be left as it is."""
    moments = np.array([at.carry(moment) * at.rate for moment in skip])
    near = 0.002 * at.rate
    if not len(moments) or not len(parts):
        return np.zeros(len(parts), bool)
    return np.asarray(((parts[:, 1:2] - near <= moments) & (moments <= parts[:, 2:3] + near)).any(axis=1))


def skipping() -> Any:
    """The parameter that names things to be left as they are, by moments (s) of the sound the step was set on."""
    return Field((), max_length=4096, title="Left as they are", json_schema_extra={"control": "skip", "unit": "s"})


class Listing(StepKind):
    """A step that mends single places it found; each can be left as it is."""

    def glance(self, params: Any, read: Read, at: Context) -> Summary:
        """Nothing: where single places lie only all of the sound says. They are heard as they are until then."""
        return {"parts": np.zeros((0, 3), np.int64), "heights": np.zeros(0), "lengths": np.zeros(0, np.int64), "changes": np.zeros(0)}

    def listed(self, summary: Summary, at: Context) -> list[Finding]:
        heights = summary["heights"].tolist()
        rows = zip(summary["parts"].tolist(), heights, strict=True)
        return [Finding(first / at.rate, last / at.rate, lane, height) for (lane, first, last), height in rows]


def _listed(found: list[list[tuple[int, int]]]) -> AnyArray:
    rows = [(lane, first, last) for lane, runs in enumerate(found) for first, last in runs]
    return np.array(rows, np.int64).reshape(-1, 3)


def _heights(whole: Floats, parts: AnyArray) -> Floats:
    """Peak of each part (dB) over the typical level of the 10 ms around it."""
    found = []
    for lane, first, last in parts.tolist():
        around = np.abs(whole[max(0, first - 480) : last + 480, lane])
        found.append(db(float(np.abs(whole[first:last, lane]).max(initial=0.0))) - db(float(np.median(around)) if len(around) else 0.0))
    return np.round(np.array(found), 1)


def _counted(count: int, what: str) -> str:
    return f"{count or 'no'} {what}{'' if count == 1 else 's'}"


class ClickParams(Params):
    threshold_db: float = number(26.0, 12, 50, "dB", "Stands over what is predicted by")
    longest_ms: float = number(1.0, 0.1, 8, "ms", "Longest click", "log")
    skip: tuple[float, ...] = skipping()


@register
class Clicks(Listing):
    """Finds clicks and replaces each by linear prediction from both sides."""

    key, label, family, params, analyses = "clicks", "Clicks away", "Clean", ClickParams, True
    words = "cleaner crackle pop repair click"
    learns_by = ("threshold_db", "longest_ms")

    def analyse(self, params: ClickParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks)).astype(np.float64)
        parts = _listed([prediction.clicks(lane, at.rate, params.threshold_db, params.longest_ms / 1000) for lane in whole.T])
        return {"parts": parts, "heights": _heights(whole, parts)}

    def found(self, summary: Summary) -> str:
        return _counted(len(summary["parts"]), "click")

    def lead(self, params: ClickParams, at: Context) -> int:
        return CONTEXT + self._longest(params, at)

    def _longest(self, params: ClickParams, at: Context) -> int:
        return round(params.longest_ms / 1000 * at.rate) + 8

    def stream(self, params: ClickParams, summary: Summary, at: Context, position: int) -> Stream:
        parts = summary["parts"][~left_alone(summary["parts"], params.skip, at)]
        return Patching(parts, self._longest(params, at), prediction.fill, at, position)


class ClippedParams(Params):
    within_db: float = number(0.05, 0.01, 3, "dB", "Clipped within", "log", digits=2)
    room_db: float = number(6.0, 0, 12, "dB", "Lowered to make room")
    skip: tuple[float, ...] = skipping()


LONGEST_CLIPPED = 800


def rebuilt(samples: Floats, missing: AnyArray) -> Floats:
    """Fill clipped samples by linear prediction; where that would lie below the level they were cut at, they stay at it."""
    still = np.asarray(missing, bool)
    for _ in range(2):
        out = prediction.fill(samples, still, settles=2)
        inside = still & (np.abs(out) < np.abs(samples))
        if not inside.any():
            break
        still = still & ~inside
    # never further than twice what was left: a long run says nothing of how high it was
    low, high = np.abs(samples), 2.0 * float(np.abs(samples).max(initial=0.0))
    return np.where(missing, np.sign(samples) * np.clip(np.abs(out), low, high), samples)


@register
class Clipped(Listing):
    """Rebuilds clipped peaks by linear prediction from both sides, and lowers the sound so that they have room."""

    key, label, family, params, analyses = "clipped", "Clipped peaks rebuilt", "Clean", ClippedParams, True
    words = "cleaner overs distortion repair clip"
    learns_by = ("within_db",)

    def analyse(self, params: ClippedParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks)).astype(np.float64)
        runs = [[run for run in prediction.clipped_runs(lane, params.within_db) if run[1] - run[0] <= LONGEST_CLIPPED] for lane in whole.T]
        parts = _listed(runs)
        return {"parts": parts, "heights": _heights(whole, parts)}

    def found(self, summary: Summary) -> str:
        return _counted(len(summary["parts"]), "cut peak")

    def lead(self, params: ClippedParams, at: Context) -> int:
        return CONTEXT + LONGEST_CLIPPED

    def stream(self, params: ClippedParams, summary: Summary, at: Context, position: int) -> Stream:
        parts = summary["parts"][~left_alone(summary["parts"], params.skip, at)]
        patching = Patching(parts, LONGEST_CLIPPED, rebuilt, at, position)
        return Lowered(patching, amplitude(-params.room_db)) if len(parts) else patching


class Lowered:
    """A stream at another level."""

    def __init__(self, stream: Stream, factor: float):
        self._stream, self._factor = stream, np.float32(factor)

    def push(self, block: Samples) -> Samples:
        return self._stream.push(block) * self._factor

    def flush(self) -> Samples:
        return self._stream.flush() * self._factor


class BumpParams(Params):
    threshold_db: float = number(12.0, 6, 40, "dB", "Stands over the lows around by")
    cutoff_hz: float = number(120.0, 40, 300, "Hz", "Lows below", "log")
    longest_ms: float = number(800.0, 50, 2000, "ms", "Longest bump", "log")
    skip: tuple[float, ...] = skipping()


class Adding:
    """Adds changes of the lows, kept at ``LOW_RATE``, where they belong; between their samples by cubic splines."""

    def __init__(self, parts: AnyArray, changes: list[Floats], at: Context, position: int):
        self._rows = list(zip(parts.tolist(), changes, strict=True))
        self._rate, self._at = at.rate, position

    def __call__(self, block: Samples) -> Samples:
        from scipy.interpolate import CubicSpline

        out = block.copy()
        for (lane, first, last), change in self._rows:
            low, high = max(first, self._at), min(last, self._at + len(block))
            if low >= high or len(change) < 4:
                continue
            knots = np.concatenate([[0.0], change, [0.0]])
            place = (np.arange(low, high) - first) * (LOW_RATE / self._rate) + 1
            out[low - self._at : high - self._at, lane] += CubicSpline(np.arange(len(knots)), knots)(np.minimum(place, len(knots) - 1)).astype(np.float32)
        self._at += len(block)
        return out


@register
class Bumps(Listing):
    """Finds short bumps in the lows and replaces the lows there by what is around them. Higher frequencies stay untouched."""

    key, label, family, params, analyses = "bumps", "Bumps away", "Clean", BumpParams, True
    words = "cleaner handling thump wind repair bump"
    learns_by = ("threshold_db", "cutoff_hz", "longest_ms")

    def analyse(self, params: BumpParams, blocks: Iterator[Samples], at: Context) -> Summary:
        whole = np.concatenate(list(blocks))
        parts, heights, changes = [], [], []
        for lane in range(at.channels):
            one = whole[:, lane].astype(np.float64)
            for bump in find_bumps(one, at.rate, params.threshold_db, params.cutoff_hz, params.longest_ms / 1000):
                parts.append((lane, round(bump.start_s * at.rate), round(bump.end_s * at.rate)))
                heights.append(round(bump.height_db, 1))
                changes.append(filled_lows(one, at.rate, bump, params.cutoff_hz))
        return {
            "parts": np.array(parts, np.int64).reshape(-1, 3),
            "heights": np.array(heights),
            "lengths": np.array([len(change) for change in changes], np.int64),
            "changes": np.concatenate(changes) if changes else np.zeros(0),
        }

    def found(self, summary: Summary) -> str:
        return _counted(len(summary["parts"]), "bump")

    def stream(self, params: BumpParams, summary: Summary, at: Context, position: int) -> Stream:
        ends = np.cumsum(summary["lengths"])
        changes = [summary["changes"][end - length : end] for end, length in zip(ends.tolist(), summary["lengths"].tolist(), strict=True)]
        kept = np.flatnonzero(~left_alone(summary["parts"], params.skip, at)).tolist()
        return Simple(Adding(summary["parts"][kept], [changes[i] for i in kept], at, position), at.channels)
