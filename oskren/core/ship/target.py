"""Targets: how files of a sheet are written, and what they are held to."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from oskren.core.audio.formats import FORMATS, format_of
from oskren.core.controls import choice, number, switch
from oskren.core.errors import OskrenError
from oskren.core.nodes.finishing import Levelled
from oskren.core.nodes.model import LAYOUTS
from oskren.core.ship.rules import Rules

OVER = {"refuse": "is not written", "lower": "is lowered", "limit": "is limited"}


class Target(Levelled):
    """How files are written: format, rate (None keeps the sound's own), bits, channels, length, level, fades, name template; and their limits."""

    name: str = "master"
    format: str = choice("wav", {one.key: one.label for one in FORMATS.values()}, "Format")
    rate: int | None = choice(None, {None: "its own", 44_100: "44.1 kHz", 48_000: "48 kHz", 96_000: "96 kHz"}, "Sample rate", low=8000, high=384_000)
    bits: Literal[16, 24, 32] | None = choice(24, {None: "its own", 16: "16", 24: "24", 32: "32 float"}, "Bits")
    channels: Literal["keep", "mono", "stereo", "quad", "5.1", "7.1", "ambix"] = choice("keep", {"keep": "as they are", **LAYOUTS}, "Channels")
    peak_dbfs: float | None = number(None, -24, 0, "dB", "Level each to", unset="as it is", begins=-1)
    tail: Literal["rings", "cut"] = choice("rings", {"rings": "rings out", "cut": "cut where its sound ends"}, "Tail of its chain")
    silence_dbfs: float | None = number(
        None, -96, -20, "dBFS", "Trim silence under", digits=0, unset="not trimmed", begins=-60, hint="What is quieter at both ends is left out"
    )
    room_ms: float = number(5.0, 0, 5_000, "ms", "Room kept", digits=0, usual=(0, 200), hint="How much of the silence is left at both ends")
    fade_in_ms: float = number(0.0, 0, 10_000, "ms", "Fade in", usual=(0, 500))
    fade_out_ms: float = number(0.0, 0, 60_000, "ms", "Fade out", usual=(0, 2000))
    dither: bool = switch(True, "Dither", "Triangular dither of 2 LSB before rounding; never on what has no more bits than the file")
    shaped: bool = switch(False, "Shape its noise", "Moves the noise to where hearing is dull; for files that nobody processes further")
    over: Literal["refuse", "lower", "limit"] = choice("refuse", OVER, "What goes over full scale")
    """What becomes of a sound over full scale in a format that ends there: it is not written, lowered, or limited."""
    template: str = Field("{name}", min_length=1, max_length=400)
    begin: int = number(1, 0, 99_999, "", "Numbers begin at", digits=0, usual=(0, 1000))
    spaces: Literal["", "_", "-"] = choice("", {"": "as they are", "_": "underscores", "-": "hyphens"}, "Spaces in names")
    case: Literal["", "lower", "upper"] = choice("", {"": "as it is", "lower": "lower", "upper": "upper"}, "Case of names")
    tidy: bool = switch(False, "Plain words", "Letters without accents; no commas, brackets and doubled separators")
    rules: Rules = Rules()

    @model_validator(mode="after")
    def _writable(self) -> Target:
        try:
            if self.bits is not None:
                format_of(self.format).subtype(self.bits)
        except OskrenError as error:
            raise ValueError(str(error)) from None
        return self


READY = (
    Target(name="archive", bits=None, template="archive/{category}/{name}"),
    Target(name="game", format="ogg", rate=48_000, channels="mono", level_by="true peak", peak_dbfs=-1.0, template="game/{name}", spaces="_", case="lower"),
    Target(name="preview", format="mp3", level_by="loudness", loudness_lufs=-18.0, template="preview/{name}"),
)
"""Targets people begin with: all of it as it is, small and even for an engine, and light to listen through (common practice, no source)."""
