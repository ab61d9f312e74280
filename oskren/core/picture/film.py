"""Films: what a video file holds."""

from __future__ import annotations

from pydantic import BaseModel

from oskren.core.timecode import FRAME_RATES, FrameRate

SUFFIXES = (".mp4", ".mov", ".m4v", ".mkv", ".webm", ".avi")


class Film(BaseModel):
    """What a video file holds.

    ``frame_rate`` is a name of FRAME_RATES; ``frames`` are counted on an even grid of that rate, ``start`` is the number of the first one in time code.
    Width and height (px) are those on screen. ``said`` tells in sentences what is unusual about the file.
    """

    frame_rate: str
    frames: int
    start: int = 0
    width: int
    height: int
    rotated: int = 0
    variable: bool = False
    interlaced: bool = False
    codec: str
    audio_channels: int = 0
    audio_rate: int = 0
    said: list[str] = []

    @property
    def counted(self) -> FrameRate:
        """How its frames follow each other."""
        return FRAME_RATES[self.frame_rate]

    @property
    def seconds(self) -> float:
        """How long it is (s)."""
        return float(self.frames / self.counted.rate)


def sized(film: Film, width: int = 0) -> tuple[int, int]:
    """Width and height (px, even) of a film at most so wide."""
    wide = min(film.width, width) if width else film.width
    return max(2, wide // 2 * 2), max(2, round(film.height * wide / film.width / 2) * 2)
