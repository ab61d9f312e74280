"""A journal of files being written into folders of the user's: what is finished is known, and what was half-written is swept, after any kill."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import platform
import time
import uuid
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from oskren.core.audio import files, metadata
from oskren.core.audio.replacing import running, sweep
from oskren.core.errors import OskrenError
from oskren.core.ship import manifest
from oskren.core.ship.verify import FileReport


def _own(path: str) -> str:
    """Where this process writes its notes of a journal: several may write at once, also of several machines."""
    return f"{path}.{platform.node()}-{os.getpid()}"


def note(path: str, report: FileReport) -> None:
    """Note a finished file in a journal; called by the worker that wrote it, as soon as it lies in its place."""
    with open(_own(path), "a", encoding="utf-8") as stream:
        stream.write(report.model_dump_json() + "\n")


def note_begun(path: str, shown: str) -> None:
    """Note in a journal that a file is about to be written where none lies: who finds it there later knows that it is not somebody else's."""
    with open(_own(path), "a", encoding="utf-8") as stream:
        stream.write(json.dumps({"begun": shown}) + "\n")


def _lines(path: Path) -> list[str]:
    return [line for one in sorted(path.parent.glob(f"{path.name}.*")) for line in one.read_text(encoding="utf-8").splitlines()]


def earlier(path: str, shown: str) -> tuple[bool, FileReport | None]:
    """Whether a worker of this journal began a file, and its report where it finished it: that worker may have died since."""
    begun, found = False, None
    for line in _lines(Path(path)):
        with contextlib.suppress(ValueError):  # the last line may be cut off
            told = json.loads(line)
            begun = begun or told.get("begun") == shown
            if told.get("path") == shown:
                found = FileReport.model_validate(told)
    return begun, found


SLACK_NS = 2_000_000_000
"""How coarsely some file systems note when a file was written."""


class Journal:
    """What a shipment to a folder has finished so far, a line a file, on disk before it is said to be done."""

    def __init__(self, path: Path, out: Path):
        self._path, self._out = path, out

    @classmethod
    def of(cls, home: Path, out: Path) -> Journal:
        """The journal of shipments from a home to a folder."""
        name = hashlib.blake2b(str(out).encode(), digest_size=10).hexdigest()
        return cls(home / "run" / f"ship-{name}.jsonl", out)

    def begin(self, paths: Sequence[str]) -> None:
        """Note which files (paths within the folder) will be written."""
        self._path.parent.mkdir(parents=True, exist_ok=True)
        self._forget()
        with open(self._path, "w", encoding="utf-8") as stream:
            stream.write(json.dumps({"out": str(self._out), "paths": list(paths), "begun_ns": time.time_ns(), "process": os.getpid()}) + "\n")

    @property
    def path(self) -> str:
        """Where workers note finished files, a line each (:func:`note`)."""
        return str(self._path)

    def written(self) -> list[FileReport]:
        """Every file that was finished since it was begun, also after a cancel."""
        reports: dict[str, FileReport] = {}
        if self._path.exists():
            # what was written before workers had notes of their own stands behind the head
            for line in [*self._path.read_text(encoding="utf-8").splitlines()[1:], *_lines(self._path)]:
                with contextlib.suppress(ValueError):  # the last line may be cut off
                    report = FileReport.model_validate_json(line)
                    reports[report.path] = report
        return list(reports.values())

    def _forget(self) -> None:
        for one in self._path.parent.glob(f"{self._path.name}.*"):
            one.unlink(missing_ok=True)

    def end(self) -> None:
        """Everything is in the manifest."""
        self._path.unlink(missing_ok=True)
        self._forget()

    def sweep(self, paths: Iterable[str]) -> None:
        """Sweep the folders of these files (paths within the folder) of what killed processes left half-written."""
        for folder in {(self._out / path).parent for path in paths} | {self._out}:
            sweep(folder)

    def settle(self) -> None:
        """Take what a killed shipment finished into the manifest of its folder, and sweep what it left half-written."""
        if not self._path.exists():
            return
        lines = self._path.read_text(encoding="utf-8").splitlines()
        try:
            head = json.loads(lines[0])
            paths, begun_ns = [str(path) for path in head["paths"]], int(head["begun_ns"])
        except (ValueError, IndexError, KeyError):
            self.end()
            return
        reports = [report for report in self.written() if manifest.as_written(self._out, report)]
        if reports:
            manifest.save(self._out, reports)
        self.sweep(paths)
        known = {report.path: report for report in manifest.load(self._out).files}
        for path in paths:
            if path not in known or not manifest.as_written(self._out, known[path]):
                self._take_back(self._out / path, begun_ns)
        self.end()

    def _take_back(self, path: Path, begun_ns: int) -> None:
        """Remove a file that the killed shipment wrote but had not read back yet: it is written again."""
        with contextlib.suppress(OskrenError, OSError):
            fresh = path.stat().st_mtime_ns >= begun_ns - SLACK_NS
            if fresh and metadata.read(path, files.probe(path).rate).software == "Oskren":
                path.unlink()


def settle_all(home: Path) -> None:
    """At the start of a server: settle what an earlier process of this home left."""
    for path in sorted((home / "run").glob("ship-*.jsonl")):
        with contextlib.suppress(OSError, ValueError, KeyError, IndexError):
            head = json.loads(path.read_text(encoding="utf-8").splitlines()[0])
            if not running(int(head["process"])):
                Journal(path, Path(head["out"])).settle()
    for path in sorted((home / "run").glob("writing-*.json")):
        with contextlib.suppress(OSError):
            try:
                noted = json.loads(path.read_text(encoding="utf-8"))
                folder, process = Path(noted["folder"]), int(noted["process"])
            except (ValueError, KeyError):  # killed as it was noted: nothing was begun
                path.unlink(missing_ok=True)
                continue
            if not running(process):
                sweep(folder)
                path.unlink(missing_ok=True)


@contextlib.contextmanager
def writing_to(home: Path, folder: Path) -> Iterator[None]:
    """Note that files are being written into a folder of the user's, so that a kill leaves nothing half-written there for good."""
    noted = home / "run" / f"writing-{uuid.uuid4().hex}.json"
    noted.parent.mkdir(parents=True, exist_ok=True)
    noted.write_text(json.dumps({"folder": str(folder), "process": os.getpid()}), encoding="utf-8")
    try:
        yield
    finally:
        noted.unlink(missing_ok=True)
