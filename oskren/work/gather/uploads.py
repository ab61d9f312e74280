"""Files a browser sends: stored one by one as they arrive, so that a closed page or a killed server loses none that had come."""

from __future__ import annotations

import contextlib
import os
import shutil
import threading
import time
import uuid
from collections.abc import AsyncIterator
from pathlib import Path

from pydantic import BaseModel, Field

from oskren.core.audio.replacing import replacing
from oskren.core.errors import NotFound, OskrenError
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.work.engine.job import Job
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import Imported, begin_follow_up, import_paths
from oskren.work.ship.folders import free_name

QUIET_S = 20.0
"""An upload that nothing came for in this time was left by its page."""

TOUCHED_EVERY_S = 2.0
SPARE_BYTES = 64 << 20
HALF = ".half"
"""Ending of a file that is still arriving."""


class Sending(BaseModel):
    """What a browser is about to send."""

    library: str = ""
    name: str = Field("dropped files", min_length=1, max_length=300)
    files: int = Field(0, ge=0, le=2_000_000)


class Uploads:
    """Uploads in progress, each a folder with what has arrived and a note of what it is."""

    def __init__(self, folder: Path, quiet_s: float = QUIET_S):
        self.folder, self.quiet_s = folder, quiet_s
        self._ending: set[str] = set()
        self._lock = threading.Lock()

    def begin(self, sending: Sending) -> str:
        """Begin an upload; its name."""
        upload = f"upload-{uuid.uuid4().hex[:16]}"
        (self.folder / upload / "files").mkdir(parents=True)
        with replacing(self.folder / upload / "upload.json") as temporary:
            temporary.write_text(sending.model_dump_json())
        return upload

    def _of(self, upload: str) -> tuple[Path, Sending]:
        folder = self.folder / upload
        note = folder / "upload.json"
        if not upload.startswith("upload-") or "/" in upload or "\\" in upload or not note.exists():
            raise NotFound("There is no such upload any more; drop the files again.")
        return folder, Sending.model_validate_json(note.read_text())

    def path_for(self, upload: str, name: str) -> Path:
        """Where a file that is sent will lie; its folders stay as words for the proposals."""
        folder, _ = self._of(upload)
        parts = [legal(part, 200) for part in name.split("/") if part.strip(". ")][-12:]
        return folder / "files" / Path(*(parts or ["unnamed"]))

    async def store(self, upload: str, name: str, data: AsyncIterator[bytes]) -> int:
        """Store one file as it arrives; whole or not at all. How many bytes it has.

        Raises
        ------
        OskrenError
            When the disk is full; what had arrived before stays.
        """
        target = self.path_for(upload, name)
        target.parent.mkdir(parents=True, exist_ok=True)
        half, size, told = target.with_name(target.name[:200] + HALF), 0, time.monotonic()
        try:
            with open(half, "wb") as out:
                async for part in data:
                    if shutil.disk_usage(self.folder).free < len(part) + SPARE_BYTES:
                        raise OSError(28, "No space left")
                    out.write(part)
                    size += len(part)
                    if time.monotonic() - told > TOUCHED_EVERY_S:  # it is still coming
                        os.utime(self.folder / upload / "upload.json")
                        told = time.monotonic()
            half.replace(target)
        except OSError as error:
            raise OskrenError(f"{name}: cannot be stored ({error.strerror}); free some space on Oskren's disk. What had arrived before is kept.") from error
        finally:
            half.unlink(missing_ok=True)
        os.utime(self.folder / upload / "upload.json")
        return size

    def taken_out(self, upload: str, folder: Path, suffixes: tuple[str, ...]) -> Path:
        """Move the one file that arrived into a folder, under a name that is free there; the upload has ended then.

        Raises
        ------
        OskrenError
            When it is not one file of such a kind.
        """
        sent, _ = self._of(upload)
        arrived = [path for path in (sent / "files").rglob("*") if path.is_file() and path.suffix != HALF]
        if len(arrived) != 1 or arrived[0].suffix.lower() not in suffixes:
            shutil.rmtree(sent, ignore_errors=True)
            raise OskrenError(f"Send one video file ({', '.join(suffixes)}); sounds are imported in Gather.")
        folder.mkdir(parents=True, exist_ok=True)
        target = folder / free_name(folder, arrived[0].stem, arrived[0].suffix, set())
        shutil.move(arrived[0], target)
        shutil.rmtree(sent, ignore_errors=True)
        return target

    def end(self, studio: Studio, upload: str, left: str = "") -> Job | None:
        """Import what has arrived, as a job; None when that is nothing. ``left`` says why it ended without being ended."""
        folder, sending = self._of(upload)
        with self._lock:
            if upload in self._ending or upload in _taken_in(studio):
                raise OskrenError("This upload has ended already.")
            self._ending.add(upload)
        files = folder / "files"
        for half in files.rglob(f"*{HALF}"):
            half.unlink(missing_ok=True)
        arrived = sum(1 for path in files.rglob("*") if path.is_file())
        if not arrived:
            shutil.rmtree(folder, ignore_errors=True)
            return None
        name = f"{sending.name}{left and f', {left}: {arrived} of {sending.files} files had arrived'}"
        library = studio.home.library(sending.library)
        return studio.jobs.start(TAKE_IN, library, f"Importing {name}", TakingIn(upload=upload, name=name))

    def left(self, older_s: float) -> list[str]:
        """Uploads that nothing came for in a while."""
        found = []
        for note in self.folder.glob("upload-*/upload.json"):
            with contextlib.suppress(OSError):
                if note.parent.name not in self._ending and time.time() - note.stat().st_mtime >= older_s:
                    found.append(note.parent.name)
        return sorted(found)

    def recover(self, studio: Studio, older_s: float | None = None) -> list[int]:
        """Take in what had arrived of uploads whose page or server went away; the jobs."""
        jobs = []
        left = self.left(self.quiet_s if older_s is None else older_s)
        for upload in set(left) - _taken_in(studio) if left else ():
            with contextlib.suppress(OskrenError):
                job = self.end(studio, upload, "the page was left")
                jobs += [job.id] if job is not None else []
        return jobs


class TakingIn(Arguments):
    """Import what a browser sent."""

    upload: str
    name: str


def _taken_in(studio: Studio) -> set[str]:
    """Uploads that are being taken in, or wait to be taken up."""
    return {one.upload for one in studio.jobs.arguments(TAKE_IN)}


def _take_in(studio: Studio, library: Library, wanted: TakingIn, progress: Progress) -> Imported:
    folder = studio.home.folder / "run" / wanted.upload
    if came := progress.noted("came"):
        result = Imported.model_validate(came)
    else:
        try:
            result = import_paths(studio, library, [folder / "files"], wanted.name, progress=progress, sent=folder / "files")
        finally:
            begin_follow_up(studio, library)
        result.kind = "upload"
        progress.note("came", result.model_dump())
    # only now: until it is noted, all of it is looked at again after a kill, and what is in already is known by its sound
    shutil.rmtree(folder, ignore_errors=True)
    return result


TAKE_IN = Kind("upload", TakingIn, _take_in)
