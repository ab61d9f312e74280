"""Files a browser sends: stored one by one as they arrive, so that a closed page or a killed server loses none that had come."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import threading
import time
import uuid
from collections.abc import AsyncIterator
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pydantic import BaseModel, Field

from oskren.core.audio.files import replacing
from oskren.core.errors import OskrenError
from oskren.core.words.names import legal
from oskren.work.importing import begin_follow_up, import_paths
from oskren.work.jobs import Job
from oskren.work.studio import Studio

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
            raise OskrenError("There is no such upload any more; drop the files again.")
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

    def end(self, studio: Studio, upload: str, left: str = "") -> Job | None:
        """Import what has arrived, as a job; None when that is nothing. ``left`` says why it ended without being ended."""
        folder, sending = self._of(upload)
        with self._lock:
            if upload in self._ending:
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
        note = folder / "arrival.json"
        arrival = json.loads(note.read_text())["arrival"] if note.exists() else library.arrival(name)
        note.write_text(json.dumps({"arrival": arrival}))

        def work(job: Job) -> dict[str, Any]:
            try:
                result = import_paths(studio, library, [files], name, told=job.progress, stop=job.flag.exists, sent=files, arrival=arrival)
            finally:
                begin_follow_up(studio, library)
            # only now: killed before, it is taken up again, and what is in already is known by its sound
            shutil.rmtree(folder, ignore_errors=True)
            self._ending.discard(upload)
            return {name: value for name, value in asdict(result).items() if name != "sounds"}

        return studio.jobs.start("import", f"Importing {name}", work)

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
        for upload in self.left(self.quiet_s if older_s is None else older_s):
            with contextlib.suppress(OskrenError):
                arrived = (self.folder / upload / "arrival.json").exists()
                job = self.end(studio, upload, "" if arrived else "the page was left")
                jobs += [job.id] if job is not None else []
        return jobs
