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
from datetime import datetime
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from oskren.core.audio import files
from oskren.core.audio.layouts import MAX_CHANNELS
from oskren.core.audio.metadata import Marker, Metadata
from oskren.core.audio.replacing import replacing
from oskren.core.errors import NotFound, OskrenError
from oskren.store import Library
from oskren.store.describe import wanted
from oskren.store.describe.describing import Change, edit
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import begin_follow_up, import_paths, there

QUIET_S = 20.0
"""A take that nothing was added to for so long was left by its page and is recovered; a page that comes back sooner goes on."""

SPARE_BYTES = 64 << 20
"""What is left free on the disk beside the room a take needs to become a file of the library."""

SYNCED_EVERY_S = 1.0
CHUNK_BYTES = 1 << 22
GOOD_TAG = "good"


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


class Finished(BaseModel):
    """A take that is a sound now; ``said`` is why it ended, when it was not ended by hand."""

    kind: Literal["recover"] = "recover"
    library: str
    name: str
    seconds: float
    imported: int
    arrival: int
    sound: int
    good: bool
    note: str
    said: str


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

    def finish(self, studio: Studio, take: str, recovered: str = "", progress: Progress = ALONE) -> Finished:
        """Make the take a WAV of its library; its name, length and sound.

        Parameters
        ----------
        recovered : str
            Why it ended without being ended; said in its notes.
        """
        part, _ = self._paths(take)
        with self._lock:
            if not part.exists() or part in _ENDING:
                raise OskrenError(f"The take {take} has ended already.")
            facts = self._facts(take)
            _ENDING.add(part)
        wav = self.folder / f"{facts.started[:19].replace(':', '')} {take}.wav"
        try:
            frames = part.stat().st_size // (4 * facts.channels)
            if not frames:
                self.let_go(take)
                raise OskrenError("Nothing was recorded; check the input and its level, then record again.")
            library: Library = studio.home.library(facts.library)
            why = facts.ended or self._full.get(take) or recovered
            _write(part, wav, frames, facts, said_of(facts, frames / facts.rate, why))
            title = f"Recorded {facts.started[:10]}: {facts.name}"
            result = import_paths(
                studio,
                library,
                [wav],
                title,
                names={str(wav): facts.name},
                kind="take",
                sent=self.folder,
                progress=progress,
                arrival=there(library, facts.arrival),
                move=True,
            )
            if result.skipped:
                raise OskrenError(result.skipped[0]["reason"])
            [sound] = result.sounds
            done = Finished(
                library=facts.library,
                name=facts.name,
                seconds=frames / facts.rate,
                imported=result.imported,
                arrival=result.arrival,
                sound=sound,
                good=facts.good,
                note=facts.note,
                said=why,
            )
            if facts.good:
                edit(library, [sound], Change(mark="glass", add_tags=GOOD_TAG))
            if facts.wanted:
                # the entry may have been taken off the list meanwhile; the take is what counts
                with contextlib.suppress(OskrenError):
                    wanted.answer(library, facts.wanted, "sound", [sound], recorded=True)
            progress.note("came", done.model_dump())
            self.let_go(take)
        finally:
            wav.unlink(missing_ok=True)
            _ENDING.discard(part)
        return done

    def let_go(self, take: str) -> None:
        """Take away what was stored of a take: it is a sound now, or holds nothing."""
        for path in self._paths(take):
            path.unlink(missing_ok=True)

    def abandoned(self) -> list[OpenTake]:
        """Takes whose page is gone: nothing has come for them for a while."""
        return [one for one in self.unfinished() if one.quiet_s >= self.quiet_s and self._paths(one.take)[0] not in _ENDING]

    def recover(self, studio: Studio) -> list[int]:
        """Make every abandoned take a sound of its library, each as a job that says so; the jobs."""
        started: list[int] = []
        left = self.abandoned()
        going = {one.take for one in studio.jobs.arguments(RECOVER)} if left else set[str]()
        for one in left:
            if one.library not in studio.home.names() or one.take in going:
                continue
            if not one.seconds:
                self.let_go(one.take)
                continue
            with contextlib.suppress(FileNotFoundError):  # it was ended just now
                os.utime(self._paths(one.take)[0])  # if this fails, it is looked at again only after another quiet while
            title = f"Recovering {one.name}, {one.seconds:.1f} s, which its page left"
            started.append(studio.jobs.start(RECOVER, studio.home.library(one.library), title, Recovering(take=one.take)).id)
        return started


RECOVERED = "Recovered: the page or the server went away while it was recorded."


def said_of(facts: TakeFacts, seconds: float, why: str = "") -> Metadata:
    """What a take's file says of itself: slate note, day and time of day, take number, the moments marked."""
    begun = datetime.fromisoformat(facts.started)
    midnight = begun.replace(hour=0, minute=0, second=0, microsecond=0)
    marks = [Marker(at_s=round(at, 6), label=f"moment {place}") for place, at in enumerate(sorted(facts.marks), 1) if 0 <= at <= seconds]
    if facts.pre_s:
        marks.append(Marker(at_s=facts.pre_s, label="start pressed"))
    return Metadata(
        title=facts.name,
        description=facts.note,
        date=begun.isoformat(timespec="seconds")[:19],
        time_reference_s=max(0.0, (begun - midnight).total_seconds() - facts.pre_s),
        take=str(facts.number) if facts.number else "",
        note=why,
        history=f"A=PCM,F={facts.rate},W={facts.bits},T=Oskren;{facts.device}"[:200] if facts.device else "",
        markers=tuple(sorted(marks, key=lambda mark: mark.at_s)),
    )


def _write(part: Path, wav: Path, frames: int, facts: TakeFacts, said: Metadata) -> None:
    """The raw frames as a WAV, block by block: hours need no more memory than seconds."""
    size = CHUNK_BYTES // (4 * facts.channels) * 4 * facts.channels
    left = frames * 4 * facts.channels
    with files.writing(wav, facts.rate, facts.channels, facts.bits, frames=frames, said=said) as put, open(part, "rb") as stream:
        while left and (data := stream.read(min(size, left))):
            left -= len(data)
            block = np.nan_to_num(np.frombuffer(data, np.float32).reshape(-1, facts.channels))
            put(block.clip(-1, 1) if facts.bits == 24 else block)


class Recovering(Arguments):
    """Make a take that its page left a sound."""

    take: str


def _recover(studio: Studio, library: Library, wanted: Recovering, progress: Progress) -> Finished:
    takes = Takes(studio.home.folder / "takes")
    if came := progress.noted("came"):  # the server was ended after the take had come in
        takes.let_go(wanted.take)
        return Finished.model_validate(came)
    done = takes.finish(studio, wanted.take, RECOVERED, progress)
    begin_follow_up(studio, library)
    return done


RECOVER = Kind("recover", Recovering, _recover)
