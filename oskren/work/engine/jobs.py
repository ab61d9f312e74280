"""Jobs: long work that lasts. Each is a row on disk by kind and arguments; after a restart it goes on, or it is said what came of it."""

from __future__ import annotations

import contextlib
import logging
import queue
import threading
import time
import traceback
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError
from sqlalchemy.exc import SQLAlchemyError

from oskren.core.errors import Cancelled, OskrenError
from oskren.store import Library
from oskren.store.jobs import JobRow, JobStore
from oskren.work.engine.job import Job, JobView, WorkerView, told, view
from oskren.work.engine.progress import Progress

log = logging.getLogger("oskren")

KEPT_EVERY_S = 1.0
"""How often a job's progress is written down while it runs."""

TOLD_EVERY_S = 0.1
"""How often those who listen hear of it."""

NOTHING = "Nothing was changed; start it again."
"""Came of work that is written down in one go at its end."""


class Arguments(BaseModel):
    """What a job is asked to do; kept on disk until it has ended."""

    model_config = ConfigDict(extra="forbid", frozen=True)


ArgumentsT = TypeVar("ArgumentsT", bound=Arguments)


@dataclass(frozen=True)
class Kind(Generic[ArgumentsT]):
    """A kind of long work.

    Parameters
    ----------
    name : str
        Stands in the job's row; the result carries it as its ``kind``.
    arguments : type of Arguments
        What it is asked to do.
    run : callable
        Does it, in a thread, with the studio the jobs belong to; gives a model whose ``kind`` is the name.
    left : str
        Empty for work that goes on after a restart. Else: what came of it when the server was ended, in a sentence.
    pauses : bool
        Whether it can rest and go on: its work is done by workers, a part at a time.
    behind : bool
        Begins by itself and goes on at the next start: nobody is told of its end, and a server that stops ends it.
    """

    name: str
    arguments: type[ArgumentsT]
    run: Callable[[Any, Library, ArgumentsT, Progress], BaseModel]
    left: str = ""
    behind: bool = False
    pauses: bool = False


class _Notes:
    """The notes of one job."""

    def __init__(self, store: JobStore, id: int):
        self._store, self._id = store, id

    def get(self, key: str) -> Any:
        return self._store.noted(self._id, key)

    def put(self, key: str, value: Any) -> None:
        self._store.note(self._id, key, value)


class Jobs:
    """Runs jobs in threads (the computing is done in worker processes) and tells listeners of every change."""

    def __init__(self, studio: Any, store: JobStore, folder: Path):
        folder.mkdir(parents=True, exist_ok=True)
        self._studio, self._store, self._folder = studio, store, folder
        self._here: dict[int, tuple[Job, Kind[Any], threading.Thread]] = {}
        self._closing = False
        self._listeners: list[queue.SimpleQueue[tuple[str, dict[str, Any]]]] = []

    # ---- begin, go on, end

    def start(self, kind: Kind[ArgumentsT], library: Library, title: str, arguments: ArgumentsT) -> Job:
        """Write a job down and run it in a thread."""
        row = self._store.begin(kind.name, library.folder.name, title, arguments.model_dump(mode="json"))
        return self._run(kind, library, arguments, row)

    def take_up(self, kinds: Mapping[str, Kind[Any]]) -> list[int]:
        """Go on with every job an earlier server left running, and say of those that cannot what came of them; the ids of the former."""
        going = []
        for row in self._store.running():
            kind = kinds.get(row.kind)
            if row.id in self._here:
                continue
            if row.unwanted:
                self._ended(row, "cancelled", f"{row.title}: cancelled.", None, kind)
            elif kind is None:
                self._interrupted(row, kind, "This Oskren does not know this kind of work.")
            elif kind.left:
                self._interrupted(row, kind, kind.left)
            else:
                try:
                    arguments, library = kind.arguments.model_validate(row.arguments), self._studio.home.library(row.library)
                except ValidationError:
                    self._interrupted(row, kind, "It was begun by another version and cannot go on in this one; start it again.")
                except (OskrenError, OSError, SQLAlchemyError) as error:
                    self._interrupted(row, kind, str(error))
                else:
                    going.append(self._run(kind, library, arguments, row).id)
        for old in [*self._folder.glob("*.cancel"), *self._folder.glob("*.paused")]:
            if old.stem.isdigit() and int(old.stem) not in self._here:
                old.unlink(missing_ok=True)
        return going

    def _interrupted(self, row: JobRow, kind: Kind[Any] | None, came: str) -> None:
        """Write down that a job did not end, and what came of it."""
        how_far = f" {row.done} of {row.total} were done." if row.done and came != NOTHING else ""
        self._ended(row, "interrupted", f"{row.title}: the server was ended while this ran.{how_far} {came}", None, kind)

    def _run(self, kind: Kind[Any], library: Library, arguments: Arguments, row: JobRow) -> Job:
        job = Job(row, self._folder / f"{row.id}.cancel", pauses=kind.pauses)
        job.flag.unlink(missing_ok=True)

        def by(worker: str, done: int, last: str) -> None:
            job.workers[worker] = WorkerView(name=worker, done=done, last=last)

        notes = _Notes(self._store, row.id)
        progress = Progress(lambda done, total: self._at(job, done, total), job.flag.exists, str(job.flag), notes, lambda: job.paused, by)

        def run() -> None:
            state, message, result = "done", "", None
            try:
                result = kind.run(self._studio, library, arguments, progress).model_dump(mode="json")
            except Cancelled:
                state, message = "cancelled", f"{row.title}: cancelled."
            except OskrenError as error:
                state, message = "failed", str(error)
            except Exception as error:
                if self._closing:  # its workers were ended with the server: it is taken up at the next start
                    return
                traceback.print_exc()
                state = "failed"
                message = f"{row.title}: ended by a fault inside Oskren ({error}); what was finished until then stays. The log tells more."
            job.flag.unlink(missing_ok=True)
            job.resting.unlink(missing_ok=True)
            self._ended(row, state, message, result, kind)

        thread = threading.Thread(target=run, daemon=True, name=f"job {row.id}")
        self._here = {id: one for id, one in self._here.items() if one[2].is_alive()} | {row.id: (job, kind, thread)}
        self._tell(job.row, job)
        if self._closing:  # it waits for the next start
            job.flag.unlink(missing_ok=True)
        else:
            thread.start()
        return job

    def _at(self, job: Job, done: int, total: int) -> None:
        row, now = job.row, time.monotonic()
        row.done, row.total = done, total
        if now - job.kept >= KEPT_EVERY_S:
            job.kept = now
            with contextlib.suppress(SQLAlchemyError):  # how far it is can be seen all the same
                self._store.at(row.id, done, total)
        if now - job.told >= TOLD_EVERY_S:
            job.told = now
            self._tell(row, job)
        if job.flag.exists():
            raise Cancelled(f"{row.title}: cancelled.")

    def _ended(self, row: JobRow, state: str, message: str, result: dict[str, Any] | None, kind: Kind[Any] | None) -> None:
        heard = bool(self._listeners) or (kind is not None and kind.behind)
        try:
            self._store.at(row.id, row.done, row.total)
            kept = self._store.end(row.id, state, message, result, heard=heard)
            row.ended = kept.ended
        except (SQLAlchemyError, OskrenError) as error:  # it is taken up again at the next start, and finds everything done
            log.warning("%s: its end cannot be written down (%s)", row.title, error)
        row.message, row.result, row.state = message, result, state
        self._tell(row)

    def end_behind(self, within_s: float) -> None:
        """End what goes on by itself at the next start, and wait for it; other jobs are left as they are, and are taken up then.

        From now on nothing that happens to a job is its end: its workers are about to be ended with the server.
        """
        self._closing = True
        ending = [(job, thread) for job, kind, thread in self._here.values() if kind.behind and thread.is_alive()]
        for job, _ in ending:
            job.flag.touch()
        _join([thread for _, thread in ending], within_s)

    def wait(self, within_s: float) -> None:
        """Wait for what still runs, once its workers were ended: nothing is written after the home is closed."""
        _join([thread for _, _, thread in self._here.values() if thread.is_alive()], within_s)

    def cancel(self, id: int) -> None:
        """Ask a job to end; what is finished stays."""
        row = self._store.get(id)
        if row.state == "running":
            self._store.unwanted(id)
            (self._folder / f"{id}.cancel").touch()

    def pause(self, id: int, on: bool) -> None:
        """Let a job rest, or go on; it rests on over a restart of the server. OskrenError when it cannot."""
        job = self._here[id][0] if id in self._here else None
        if job is None or job.state != "running":
            raise OskrenError("This work does not run any more.")
        if not job.pauses:
            raise OskrenError(f"{job.row.title}: cannot be paused; it can be cancelled.")
        if on:
            job.resting.touch()
        else:
            job.resting.unlink(missing_ok=True)
            job.begin()
        self._tell(job.row, job)

    # ---- looking

    def get(self, id: int) -> JobView:
        """A job as it stands; OskrenError when there is none."""
        if id in self._here:
            job = self._here[id][0]
            return view(job.row, job)
        return view(self._store.get(id))

    def all(self) -> list[JobView]:
        """The newest jobs, oldest first."""
        return [self.get(row.id) for row in self._store.recent()]

    def arguments(self, kind: Kind[ArgumentsT]) -> list[ArgumentsT]:
        """What running jobs of a kind are asked to do, also those that wait to be taken up."""
        return [kind.arguments.model_validate(row.arguments) for row in self._store.running(kind.name)]

    def running(self, kind: Kind[Any], library: Library) -> bool:
        """Whether a job of a kind runs over a library."""
        return any(row.library == library.folder.name for row in self._store.running(kind.name))

    # ---- telling

    @contextmanager
    def listening(self) -> Iterator[queue.SimpleQueue[tuple[str, dict[str, Any]]]]:
        """A queue of what happens from now on: jobs as they change ("job"), and what is announced, each with its kind."""
        changes: queue.SimpleQueue[tuple[str, dict[str, Any]]] = queue.SimpleQueue()
        self._listeners.append(changes)
        try:
            yield changes
        finally:
            self._listeners.remove(changes)

    def missed(self, after: int | None = None) -> tuple[list[dict[str, Any]], int]:
        """What a page that begins to listen has not heard, and the end that was the last before: ends nobody heard, or, with ``after``, all
        that came after that one; and the jobs that run."""
        last = self._store.last()
        ended = [told(row) for row in self._store.unheard(after)]
        return ended + [told(job.row, job) for job, _, thread in list(self._here.values()) if thread.is_alive() and job.state == "running"], last

    def announce(self, kind: str, data: dict[str, Any]) -> None:
        """Tell everybody who listens that something happened."""
        for listener in list(self._listeners):
            listener.put((kind, data))

    def _tell(self, row: JobRow, job: Job | None = None) -> None:
        self.announce("job", told(row, job))


def _join(threads: list[threading.Thread], within_s: float) -> None:
    deadline = time.monotonic() + within_s
    for thread in threads:
        if thread is not threading.current_thread():
            thread.join(max(0.0, deadline - time.monotonic()))
