"""Jobs: long work with progress, time left, cancel, and an end that says what came of it."""

from __future__ import annotations

import itertools
import queue
import threading
import time
import traceback
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from oskren.core.errors import Cancelled, OskrenError

UNHEARD = 20
"""Ends of jobs that are kept for the next page when none listened."""


@dataclass
class Job:
    """One piece of long work. ``state`` is running, done, failed or cancelled."""

    id: int
    kind: str
    title: str
    flag: Path
    done: int = 0
    total: int = 0
    state: str = "running"
    message: str = ""
    result: dict[str, Any] = field(default_factory=dict)
    started: float = field(default_factory=time.monotonic)
    _tell: Callable[[Job], None] = field(default=lambda job: None, repr=False)

    def progress(self, done: int, total: int) -> None:
        """Say how far the work is; raises Cancelled when it is no longer wanted."""
        self.done, self.total = done, total
        self._tell(self)
        if self.flag.exists():
            raise Cancelled(f"{self.title}: cancelled.")

    def left_s(self) -> float | None:
        """Seconds left by the pace so far."""
        if self.state != "running" or not self.done:
            return None
        return (time.monotonic() - self.started) * (self.total - self.done) / self.done

    def view(self) -> dict[str, Any]:
        left = self.left_s()
        return {
            "id": self.id,
            "kind": self.kind,
            "title": self.title,
            "done": self.done,
            "total": self.total,
            "state": self.state,
            "message": self.message,
            "left_s": None if left is None else round(left, 1),
            "result": self.result,
        }


class Jobs:
    """Runs jobs in threads (the computing is done in worker processes) and tells listeners of every change."""

    def __init__(self, folder: Path):
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.glob("*.cancel"):
            old.unlink()
        self._folder = folder
        self._numbers = itertools.count(1)
        self._jobs: dict[int, Job] = {}
        self._listeners: list[queue.SimpleQueue[tuple[str, dict[str, Any]]]] = []
        self._unheard: list[dict[str, Any]] = []
        self._told: dict[int, float] = {}
        self._threads: dict[int, threading.Thread] = {}

    def start(self, kind: str, title: str, work: Callable[[Job], dict[str, Any] | None]) -> Job:
        """Start work in a thread; its returned dict becomes the job's result."""
        number = next(self._numbers)
        job = Job(number, kind, title, self._folder / f"{number}.cancel", _tell=self._changed)
        self._jobs[number] = job
        while len(self._jobs) > 200:
            self._jobs.pop(next(iter(self._jobs)))

        def run() -> None:
            try:
                job.result = work(job) or {}
                job.state = "done"
            except Cancelled as error:
                job.state, job.message = "cancelled", str(error)
            except OskrenError as error:
                job.state, job.message = "failed", str(error)
            except Exception as error:
                traceback.print_exc()
                job.state, job.message = (
                    "failed",
                    f"{title}: ended by a fault inside Oskren ({error}); what was finished until then stays. The log tells more.",
                )
            job.flag.unlink(missing_ok=True)
            self._changed(job, at_once=True)

        self._changed(job, at_once=True)
        thread = threading.Thread(target=run, daemon=True, name=f"job {number}")
        self._threads = {other: one for other, one in self._threads.items() if one.is_alive()} | {number: thread}
        thread.start()
        return job

    def end(self, kinds: Collection[str], within_s: float) -> None:
        """End jobs of kinds that go on by themselves at the next start, and wait for them; others are left as they are."""
        ending = [(self._jobs[number], thread) for number, thread in self._threads.items() if number in self._jobs and self._jobs[number].kind in kinds]
        for job, thread in ending:
            if thread.is_alive():
                job.flag.touch()
        deadline = time.monotonic() + within_s
        for _, thread in ending:
            thread.join(max(0.0, deadline - time.monotonic()))

    def get(self, number: int) -> Job:
        if number not in self._jobs:
            raise OskrenError(f"There is no job {number}; it may have ended before the last start.")
        return self._jobs[number]

    def all(self) -> list[dict[str, Any]]:
        return [job.view() for job in self._jobs.values()]

    def cancel(self, number: int) -> None:
        job = self.get(number)
        if job.state == "running":
            job.flag.touch()

    @contextmanager
    def listening(self) -> Iterator[queue.SimpleQueue[tuple[str, dict[str, Any]]]]:
        """A queue of what happens: jobs as they change ("job"), and what is announced, each with its kind."""
        changes: queue.SimpleQueue[tuple[str, dict[str, Any]]] = queue.SimpleQueue()
        unheard, self._unheard = self._unheard, []
        for view in unheard:
            changes.put(("job", view))
        self._listeners.append(changes)
        try:
            yield changes
        finally:
            self._listeners.remove(changes)

    def announce(self, kind: str, data: dict[str, Any]) -> None:
        """Tell everybody who listens that something happened."""
        for listener in list(self._listeners):
            listener.put((kind, data))

    def _changed(self, job: Job, at_once: bool = False) -> None:
        now = time.monotonic()
        if not at_once and now - self._told.get(job.id, 0) < 0.1:
            return
        self._told[job.id] = now
        if not self._listeners and job.state != "running" and job.kind != "follow":
            self._unheard = [*self._unheard[-UNHEARD + 1 :], job.view()]
        self.announce("job", job.view())
