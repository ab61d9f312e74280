"""What a format of files is, and the registry that is the only list of those that are written."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from oskren.core.audio.metadata import Metadata
from oskren.core.errors import OskrenError

USUAL_BITS = 24
"""What is recorded and delivered in when nothing else is said (common practice, no source)."""

Embed = Callable[[Path, Metadata, int, int], None]
"""Puts words, markers and loops into a finished file: its path, what it is to say, sample rate (Hz), channels. The sound is not touched."""


class Levels(NamedTuple):
    """What was measured of a finished file (LUFS, LU, dBTP); None where a value cannot be had."""

    integrated_lufs: float | None = None
    range_lu: float | None = None
    true_peak_dbtp: float | None = None
    max_momentary_lufs: float | None = None
    max_short_term_lufs: float | None = None


State = Callable[[Path, Levels], None]
"""Says in a finished file what was measured of it. The sound is not touched."""


@dataclass(frozen=True)
class Format:
    """A format that sounds leave in.

    Parameters
    ----------
    key, label, suffix : str
        As targets name it, as people read it, and what its files end in.
    container : str
        As libsndfile names it.
    codecs : mapping of int to str
        Bits that can be chosen, each with its libsndfile subtype; 32 is float. One of no bits (key 0) for lossy formats.
    magic : tuple of bytes
        How its files begin.
    embed : Embed
    state : State, optional
        Where the format has a place for what was measured.
    beyond_4gb : str
        The container for what is over 4 GiB; empty where the format needs none.
    ends_at_4gb : bool
        Whether it can hold no more than that.
    write_frames : int
        Frames handed to the encoder at a time; 0 for as many as there are.
    peak_db, rms_db : float
        How far a lossy file's peak and RMS may lie from what was rendered.
    rates : tuple of int
        The only rates (Hz) it holds, from low to high; empty where it holds any.
    most_channels : int
        How many channels it holds; 0 where that does not matter.
    marks : bool
        Whether it has a place for markers.
    compression : float, optional
        How hard a lossy encoder is to try to be small, 0 (best sound) to 1; the encoder's own way when left out.
    """

    key: str
    label: str
    suffix: str
    container: str
    codecs: Mapping[int, str]
    magic: tuple[bytes, ...]
    embed: Embed
    state: State | None = None
    beyond_4gb: str = ""
    ends_at_4gb: bool = False
    write_frames: int = 0
    peak_db: float = 0.0
    rms_db: float = 0.0
    rates: tuple[int, ...] = ()
    most_channels: int = 0
    marks: bool = False
    compression: float | None = None

    @property
    def lossless(self) -> bool:
        """Whether what is read back is what was written, but for rounding."""
        return 0 not in self.codecs

    @property
    def bits(self) -> list[int]:
        """Bits that can be chosen; none for lossy formats."""
        return [bits for bits in self.codecs if bits]

    def subtype(self, bits: int) -> str:
        """libsndfile's name of the codec for so many bits; OskrenError when the format has no such."""
        if not self.lossless:
            return self.codecs[0]
        if bits not in self.codecs:
            raise OskrenError(f"{self.label} holds {' or '.join(map(str, self.bits))} bit, not {bits}; choose one of them or WAV")
        return self.codecs[bits]

    def bits_for(self, own: int | None) -> int:
        """The bits a sound that has so many is written in: as many, else the next more the format has, else its most. What has none (None) gets 24."""
        some = sorted(self.bits)
        wanted = own or USUAL_BITS
        return next((bits for bits in some if bits >= wanted), some[-1]) if some else wanted

    def rate_for(self, rate: int) -> int:
        """The rate (Hz) a sound of a rate is written at: its own where the format holds it, else the next higher one, else the highest."""
        if not self.rates or rate in self.rates:
            return rate
        return next((one for one in self.rates if one > rate), self.rates[-1])

    def ends_at_full_scale(self, bits: int) -> bool:
        """Whether nothing over full scale can be kept."""
        return not (self.lossless and bits == 32)


FORMATS: dict[str, Format] = {}


def register(format_: Format) -> Format:
    """Make a format known under its key."""
    if format_.key in FORMATS:
        raise ValueError(f"two formats are called {format_.key}")
    FORMATS[format_.key] = format_
    return format_


def format_of(key: str) -> Format:
    """The format of a key; OskrenError when there is none."""
    try:
        return FORMATS[key]
    except KeyError:
        raise OskrenError(f"There is no format '{key}'; there are {', '.join(FORMATS)}.") from None


def of_file(path: Path) -> Format:
    """The format a path's ending asks for; OskrenError when files of that ending are not written."""
    found = next((one for one in FORMATS.values() if one.suffix == path.suffix.lower()), None)
    if found is None:
        raise OskrenError(f"{path}: cannot write '{path.suffix}'; use {', '.join(one.suffix for one in FORMATS.values())}.")
    return found


def words_into(path: Path, data: Metadata, rate: int, channels: int = 1) -> None:
    """Put words, markers and loops into a finished file of any of these formats; what it held of them before is replaced."""
    with open(path, "rb") as stream:
        head = stream.read(4)
    found = next((one for one in FORMATS.values() if head.startswith(one.magic)), None)
    if found is None:
        raise OskrenError(f"{path}: holds no place for words; export to {', '.join(one.suffix for one in FORMATS.values())}.")
    found.embed(path, data, rate, channels)
