"""One job while it runs in this server, and how others see it."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from oskren.store.jobs import JobRow


class WorkerView(BaseModel):
    """What one worker has done of a job, and the last of it."""

    name: str
    done: int
    last: str


class JobView(BaseModel):
    """A job as it stands; ``left_s`` are the seconds left by the pace since it was begun or taken up. ``paused`` is None where it cannot rest."""

    id: int
    kind: str
    library: str
    title: str
    done: int
    total: int
    state: str
    message: str
    left_s: float | None
    result: Any
    paused: bool | None = None
    workers: list[WorkerView] = []


class Job:
    """A job while it runs in this server."""

    def __init__(self, row: JobRow, flag: Path, *, pauses: bool = False):
        self.row, self.flag, self.pauses = row, flag, pauses
        self.resting = flag.with_suffix(".paused")
        self.workers: dict[str, WorkerView] = {}
        self.begin()
        self.told = self.kept = 0.0

    @property
    def id(self) -> int:
        return self.row.id

    @property
    def state(self) -> str:
        return self.row.state

    def begin(self) -> None:
        """From now on its pace counts."""
        self.started, self.before = time.monotonic(), self.row.done

    @property
    def paused(self) -> bool:
        return self.pauses and self.resting.exists()

    def left_s(self) -> float | None:
        """Seconds left by the pace so far."""
        row = self.row
        if row.state != "running" or row.done <= self.before or self.paused:
            return None
        return (time.monotonic() - self.started) * (row.total - row.done) / (row.done - self.before)


def view(row: JobRow, job: Job | None = None) -> JobView:
    """A job as others see it."""
    left = None if job is None else job.left_s()
    return JobView(
        id=row.id,
        kind=row.kind,
        library=row.library,
        title=row.title,
        done=row.done,
        total=row.total,
        state=row.state,
        message=row.message,
        left_s=None if left is None else round(left, 1),
        result=row.result,
        paused=job.paused if job is not None and job.pauses and row.state == "running" else None,
        workers=[] if job is None else sorted(job.workers.values(), key=lambda one: one.name),
    )


def told(row: JobRow, job: Job | None = None) -> dict[str, Any]:
    """A job as an event; ``ended`` counts the ends, for who comes back after a while."""
    return {**view(row, job).model_dump(), "ended": row.ended or 0}
