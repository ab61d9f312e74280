"""Time code: frames of a picture counted as hours, minutes, seconds and frames (SMPTE ST 12-1)."""

from __future__ import annotations

import re
from fractions import Fraction
from math import floor
from typing import NamedTuple

from pydantic import BaseModel

from oskren.core.controls import choice
from oskren.core.errors import OskrenError


class FrameRate(NamedTuple):
    """How frames follow each other and are counted."""

    rate: Fraction
    """Frames a second."""
    nominal: int
    """Frames that are counted before a second is full."""
    dropped: int = 0
    """Numbers that are left out at the beginning of each minute but every tenth, so that the count keeps up with the clock."""


def _video(nominal: int, dropped: int = 0) -> FrameRate:
    return FrameRate(Fraction(nominal * 1000, 1001), nominal, dropped)


FRAME_RATES: dict[str, FrameRate] = {
    "23.976": _video(24),
    "24": FrameRate(Fraction(24), 24),
    "25": FrameRate(Fraction(25), 25),
    "29.97": _video(30),
    "29.97 drop": _video(30, 2),
    "30": FrameRate(Fraction(30), 30),
    "48": FrameRate(Fraction(48), 48),
    "50": FrameRate(Fraction(50), 50),
    "59.94": _video(60),
    "59.94 drop": _video(60, 4),
    "60": FrameRate(Fraction(60), 60),
}
"""Frame rates of pictures, by how they are called."""


class ProjectSettings(BaseModel):
    """How a project counts: time code and nudges by a frame go by it."""

    frame_rate: str = choice("25", tuple(FRAME_RATES), "Frame rate of the project")


_ROUNDING = 1e-6
"""Share of a frame that a moment may lie before it and still be on it."""


def frame_at(at_s: float, rate: FrameRate) -> int:
    """The frame that is on at a moment (s)."""
    return floor(at_s * rate.rate + _ROUNDING)


def moment_of(frame: int, rate: FrameRate) -> float:
    """The moment (s) a frame begins."""
    return float(frame / rate.rate)


def code_of(frame: int, rate: FrameRate) -> str:
    """The time code of a frame; with a semicolon before the frames where numbers are dropped.

    Examples
    --------
    >>> code_of(1799, FRAME_RATES["29.97 drop"]), code_of(1800, FRAME_RATES["29.97 drop"])
    ('00:00:59;29', '00:01:00;02')
    """
    sign, number = ("-", -frame) if frame < 0 else ("", frame)
    if rate.dropped:
        minute = 60 * rate.nominal - rate.dropped
        tens, rest = divmod(number, 10 * minute + rate.dropped)
        # the first minute of ten is whole
        number += rate.dropped * (9 * tens + max(0, rest - rate.dropped) // minute)
    seconds, frames = divmod(number, rate.nominal)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{sign}{hours:02d}:{minutes:02d}:{seconds:02d}{';' if rate.dropped else ':'}{frames:02d}"


def frame_of(code: str, rate: FrameRate) -> int:
    """The frame of a time code; OskrenError for what is none at this rate, numbers that are dropped among it."""
    match = re.fullmatch(r"\s*(-?)(\d{1,3}):([0-5]\d):([0-5]\d)[:;.](\d{2})\s*", code)
    if match is None:
        raise OskrenError(f"{code.strip() or 'Nothing'} is no time code; write hours, minutes, seconds and frames, like 01:02:03:04.")
    hours, minutes, seconds, frames = map(int, match.groups()[1:])
    if frames >= rate.nominal:
        raise OskrenError(f"{code.strip()}: a second has {rate.nominal} frames here, counted from 00.")
    if frames < rate.dropped and seconds == 0 and minutes % 10:
        raise OskrenError(f"{code.strip()} is left out in drop-frame time code; the minute begins with frame {rate.dropped:02d}.")
    whole = 60 * hours + minutes
    frame = (60 * whole + seconds) * rate.nominal + frames - rate.dropped * (whole - whole // 10)
    return -frame if match[1] else frame


def recounted(frame: int, before: FrameRate, after: FrameRate) -> int:
    """The frame that has the same time code when it is counted otherwise; the next one that is counted where that code is left out.

    Examples
    --------
    >>> recounted(108_000, FRAME_RATES["29.97"], FRAME_RATES["29.97 drop"])
    107892
    """
    code = code_of(frame, before)
    try:
        return frame_of(code, after)
    except OskrenError:
        return frame_of(f"{code[:-2]}{after.dropped:02d}", after)
