"""Recording: audio is stored as it arrives, so that a closed tab, a lost connection or a killed server keeps what was recorded.

A take in progress is two files: ``take-0001.part`` holds raw float32 frames, ``take-0001.json`` what is said about it.
"""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from oskren.core.audio.layouts import MAX_CHANNELS
from oskren.core.audio.replacing import replacing
from oskren.core.errors import NotFound, OskrenError

QUIET_S = 20.0
"""A take that nothing was added to for so long was left by its page and is recovered; a page that comes back sooner goes on."""

SPARE_BYTES = 64 << 20
"""What is left free on the disk beside the room a take needs to become a file of the library."""

SYNCED_EVERY_S = 1.0


class TakeFacts(BaseModel):
    """What is said about a take. ``pre_s`` seconds were heard before the start was pressed; ``marks`` are moments (s)."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=200)
    rate: int
    channels: int
    bits: Literal[24, 32] = 24
    note: str = Field("", max_length=4000)
    device: str = Field("", max_length=300)
    number: int = Field(0, ge=0, le=100_000)
    arrival: int = Field(0, ge=0)
    wanted: int = Field(0, ge=0)
    good: bool = False
    pre_s: float = Field(0.0, ge=0, le=60)
    marks: list[float] = Field([], max_length=10_000)
    started: str = Field("", max_length=30)
    library: str = ""
    ended: str = ""

    @field_validator("started")
    @classmethod
    def _a_moment(cls, said: str) -> str:
        if said:
            datetime.fromisoformat(said)
        return said


class TakeChange(BaseModel):
    """What is said about a take while it is being recorded."""

    model_config = ConfigDict(extra="forbid")

    note: str | None = Field(None, max_length=4000)
    good: bool | None = None
    marks: list[float] | None = Field(None, max_length=10_000)


class OpenTake(BaseModel):
    """A take that was begun and never ended; ``quiet_s`` is how long nothing has come for it."""

    take: str
    library: str
    name: str
    seconds: float
    quiet_s: float
    ended: str


_ENDING: set[Path] = set()
"""Takes that are being made sounds in this process."""


class Takes:
    """Takes in progress."""

    def __init__(self, folder: Path, quiet_s: float = QUIET_S):
        self.folder = folder
        self.quiet_s = quiet_s
        folder.mkdir(parents=True, exist_ok=True)
        self._lock = threading.RLock()
        self._synced: dict[str, float] = {}
        self._full: dict[str, str] = {}

    def _paths(self, take: str) -> tuple[Path, Path]:
        if not re.fullmatch(r"take-\d{4,}", take):
            raise NotFound(f"There is no take '{take}'.")
        return self.folder / f"{take}.part", self.folder / f"{take}.json"

    def _facts(self, take: str) -> TakeFacts:
        try:
            return TakeFacts.model_validate_json(self._paths(take)[1].read_bytes())
        except (OSError, ValidationError) as error:
            raise NotFound(f"There is no take '{take}' that could be recovered: what was noted about it is gone.") from error

    def _note(self, take: str, facts: TakeFacts) -> None:
        with replacing(self._paths(take)[1]) as temporary:
            temporary.write_text(facts.model_dump_json())

    def begin(self, library: str, facts: TakeFacts) -> str:
        """Begin a take; its key."""
        if not 8000 <= facts.rate <= 384_000 or not 1 <= facts.channels <= MAX_CHANNELS:
            raise OskrenError(f"A take of {facts.channels} channels at {facts.rate} Hz cannot be recorded; 1 to {MAX_CHANNELS} channels at 8 to 384 kHz can.")
        with self._lock:
            numbers = [int(path.stem[5:]) for path in self.folder.glob("take-*.*") if path.stem[5:].isdigit()]
            take = f"take-{max(numbers, default=0) + 1:04d}"
            started = facts.started or datetime.now().isoformat(timespec="milliseconds")
            self._note(take, facts.model_copy(update={"library": library, "started": started, "ended": ""}))
            self._paths(take)[0].touch()
        return take

    def add(self, take: str, position: int, data: bytes) -> int:
        """Store raw float32 at a frame position; what arrives twice is written over itself. Frames stored so far.

        Raises
        ------
        OskrenError
            When the take has ended, when a block before this one is missing, and when the disk is full: the take has then
            ended with what was stored.
        """
        part, _ = self._paths(take)
        with self._lock:
            if not part.exists() or part in _ENDING:
                raise OskrenError(f"The take {take} has ended; start a new one.")
            facts = self._facts(take)
            frame = 4 * facts.channels
            if why := facts.ended or self._full.get(take):
                raise OskrenError(why)
            if len(data) % frame:
                raise OskrenError("A block of the recording is damaged; it does not hold whole frames.")
            size = part.stat().st_size
            if position * frame > size:
                raise OskrenError("A block of the recording is missing before this one; send it first.")
            try:
                if shutil.disk_usage(self.folder).free < size + len(data) + SPARE_BYTES:
                    raise OSError(28, "No space left")
                with open(part, "r+b") as stream:
                    stream.seek(position * frame)
                    stream.write(data)
                    stream.flush()
                    if time.monotonic() - self._synced.get(take, 0.0) >= SYNCED_EVERY_S:
                        os.fsync(stream.fileno())
                        self._synced[take] = time.monotonic()
            except OSError as error:
                stored = part.stat().st_size // frame / facts.rate
                why = f"The disk Oskren writes to is full ({error.strerror}): {facts.name} has ended after {stored:.1f} s, which are kept. Free some space."
                self._end(take, facts, why)
                raise OskrenError(why) from error
            return part.stat().st_size // frame

    def _end(self, take: str, facts: TakeFacts, why: str) -> None:
        try:
            self._note(take, facts.model_copy(update={"ended": why}))
        except OskrenError:
            self._full[take] = why  # not even that can be written: it is known until the server stops

    def describe(self, take: str, change: TakeChange) -> TakeFacts:
        """Say something about a take in progress: its slate note, that it is good, moments in it."""
        with self._lock:
            facts = self._facts(take).model_copy(update=change.model_dump(exclude_none=True))
            self._note(take, facts)
            return facts

    def unfinished(self) -> list[OpenTake]:
        """Takes that were begun and never ended."""
        found = []
        for part in sorted(self.folder.glob("take-*.part")):
            try:
                facts, seen = self._facts(part.stem), part.stat()
            except (OskrenError, OSError):
                continue
            seconds = seen.st_size // (4 * facts.channels) / facts.rate
            found.append(
                OpenTake(
                    take=part.stem, library=facts.library, name=facts.name, seconds=seconds, quiet_s=max(0.0, time.time() - seen.st_mtime), ended=facts.ended
                )
            )
        return found

    @contextmanager
    def ending(self, take: str) -> Iterator[tuple[Path, TakeFacts, str]]:
        """Hold a take that becomes a sound: its raw frames, what is said about it, and why it ended when it was not ended by hand.

        Raises
        ------
        OskrenError
            When it has ended already, or is just becoming a sound.
        """
        part, _ = self._paths(take)
        with self._lock:
            if not part.exists() or part in _ENDING:
                raise OskrenError(f"The take {take} has ended already.")
            facts = self._facts(take)
            _ENDING.add(part)
        try:
            yield part, facts, facts.ended or self._full.get(take, "")
        finally:
            _ENDING.discard(part)

    def left_again(self, take: str) -> None:
        """Let a take count as just left, so that it is looked at again only after another quiet while."""
        with contextlib.suppress(FileNotFoundError):  # it was ended just now
            os.utime(self._paths(take)[0])

    def let_go(self, take: str) -> None:
        """Take away what was stored of a take: it is a sound now, or holds nothing."""
        for path in self._paths(take):
            path.unlink(missing_ok=True)

    def abandoned(self) -> list[OpenTake]:
        """Takes whose page is gone: nothing has come for them for a while."""
        return [one for one in self.unfinished() if one.quiet_s >= self.quiet_s and self._paths(one.take)[0] not in _ENDING]
