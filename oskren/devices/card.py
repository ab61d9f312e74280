"""The card of the simulated recorder: takes as Broadcast WAV, numbered, split when long, whole up to the last second."""

from __future__ import annotations

import os
import re
import struct
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from oskren.core.audio.formats.wav import chunks
from oskren.core.audio.metadata import Metadata
from oskren.core.errors import OskrenError

BYTES = 3
"""Of a sample: 24 bit."""

_NAME = re.compile(r"T(\d{4})(?:_(\d+))?\.WAV", re.IGNORECASE)


@dataclass(frozen=True)
class OnCard:
    """A file of the card: its name in the card's folder, length (s), bytes, and when it was begun."""

    name: str
    seconds: float
    size: int
    begun: str


class WavFile:
    """A 24-bit Broadcast WAV that is valid after every second of it: words first, then the sound, sizes kept up to date."""

    def __init__(self, path: Path, rate: int, channels: int, said: Metadata):
        self.path = path
        self.frames = 0
        self._rate = rate
        self._channels = channels
        self._unsaid = 0
        words = chunks(said, rate, channels)
        form = struct.pack("<HHIIHH", 1, channels, rate, rate * channels * BYTES, channels * BYTES, BYTES * 8)
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._stream = open(path, "xb")  # noqa: SIM115 (open for as long as the take lasts)
            self._stream.write(b"RIFF\0\0\0\0WAVE" + words + b"fmt " + struct.pack("<I", len(form)) + form + b"data\0\0\0\0")
            self._data = self._stream.tell()
            self._note_sizes()
        except OSError as error:
            raise OskrenError(f"{path}: the card cannot be written ({error.strerror}); check it, or free some space.") from error

    def add(self, samples: NDArray[np.float32]) -> None:
        """Write a block, shape (frames, channels), ±1.0 = full scale."""
        full = 1 << 23
        numbers = np.clip(np.rint(samples.astype(np.float64) * full), -full, full - 1).astype("<i4")
        try:
            self._stream.write(numbers.reshape(-1, 1).view(np.uint8).reshape(-1, 4)[:, :BYTES].tobytes())
            self.frames += len(samples)
            self._unsaid += len(samples)
            if self._unsaid >= self._rate:
                self._note_sizes()
        except OSError as error:
            raise OskrenError(f"{self.path}: the card is full ({error.strerror}); the take ended, what was written stays.") from error

    def _note_sizes(self) -> None:
        length = self.frames * self._channels * BYTES
        end = self._data + length + (length & 1)
        for at, size in ((4, end - 8), (self._data - 4, length)):
            self._stream.seek(at)
            self._stream.write(struct.pack("<I", size))
        self._stream.seek(self._data + length)
        self._stream.flush()
        self._unsaid = 0

    def close(self) -> None:
        """End the file."""
        try:
            if self.frames * self._channels * BYTES & 1:
                self._stream.write(b"\0")
            self._note_sizes()
            os.fsync(self._stream.fileno())
        finally:
            self._stream.close()


class Card:
    """A folder with takes in a folder for each day, numbered on and on."""

    def __init__(self, folder: Path):
        self.folder = folder

    def _takes(self) -> list[tuple[Path, int]]:
        found = [(path, _NAME.fullmatch(path.name)) for path in self.folder.rglob("*") if path.is_file()]
        return sorted((path, int(match[1])) for path, match in found if match)

    def next_number(self) -> int:
        """The number of the next take: one more than the highest there is."""
        return max((number for _, number in self._takes()), default=0) + 1

    def begin(self, number: int, part: int, begun: datetime, rate: int, channels: int, note: str) -> WavFile:
        """Begin a file for a take, or for a further part of a long one.

        Parameters
        ----------
        begun : datetime
            Time of day of its first frame; the time reference is counted from midnight.
        note : str
            How the recorder was set; stands in the description.
        """
        name = f"T{number:04d}{f'_{part}' if part > 1 else ''}.WAV"
        midnight = begun.replace(hour=0, minute=0, second=0, microsecond=0)
        said = Metadata(
            title=name.removesuffix(".WAV"),
            description=note,
            artist="Oskren recorder",
            date=begun.isoformat(timespec="seconds")[:19],
            time_reference_s=(begun - midnight).total_seconds(),
            take=str(number),
            tape=f"{begun:%y%m%d}",
            history=f"A=PCM,F={rate},W={BYTES * 8},M={'stereo' if channels == 2 else 'mono'},T=simulated recorder",
        )
        return WavFile(self.folder / f"{begun:%y%m%d}" / name, rate, channels, said)

    def files(self) -> list[OnCard]:
        """What lies on the card, oldest first."""
        from oskren.core.audio.files import probe

        found = []
        for path, _ in self._takes():
            try:
                info, facts = probe(path), path.stat()
            except (OskrenError, OSError):
                continue
            begun = datetime.fromtimestamp(facts.st_mtime - info.seconds).isoformat(timespec="seconds")
            found.append(OnCard(str(path.relative_to(self.folder)), info.seconds, facts.st_size, begun))
        return found

    def erase(self) -> int:
        """Take every take off the card; how many files went."""
        takes = self._takes()
        for path, _ in takes:
            path.unlink(missing_ok=True)
        return len(takes)
