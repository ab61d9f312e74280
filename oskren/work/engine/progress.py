"""How far long work is, whether it is still wanted, and what it noted before the server was ended."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol


class Notes(Protocol):
    """What a job noted, on disk before it goes on."""

    def get(self, key: str) -> Any: ...

    def put(self, key: str, value: Any) -> None: ...


class Progress:
    """Handed to everything that takes long. By itself it tells nobody and is always wanted: for the command line and tests.

    Parameters
    ----------
    told : callable, optional
        Is told how many of how many are done; raises Cancelled to end the work.
    stop : callable, optional
        Whether the work should end by itself, keeping what is finished.
    flag : str
        A file whose presence tells worker processes the same; empty when there is none.
    notes : Notes, optional
        Where notes are kept that outlast the server.
    held : callable, optional
        Whether the work is to rest for now: what is begun goes on to its end, nothing else is begun.
    worker : callable, optional
        Is told what each worker has done: its name, how many, and the last of them.
    """

    def __init__(
        self,
        told: Callable[[int, int], None] | None = None,
        stop: Callable[[], bool] | None = None,
        flag: str = "",
        notes: Notes | None = None,
        held: Callable[[], bool] | None = None,
        worker: Callable[[str, int, str], None] | None = None,
    ) -> None:
        self.flag = flag
        self._told, self._stop, self._notes, self._held, self._worker = told, stop, notes, held, worker

    def at(self, done: int, total: int) -> None:
        """Say how far the work is; raises Cancelled when it is no longer wanted."""
        if self._told is not None:
            self._told(done, total)

    @property
    def wanted(self) -> bool:
        """Whether the work is to go on."""
        return self._stop is None or not self._stop()

    @property
    def held(self) -> bool:
        """Whether the work is to rest for now."""
        return self.wanted and self._held is not None and self._held()

    def by(self, worker: str, done: int, last: str) -> None:
        """Say what a worker has done so far, and what was the last of it."""
        if self._worker is not None:
            self._worker(worker, done, last)

    def noted(self, key: str) -> Any:
        """What this work noted under a key, also before the server was ended; None when nothing."""
        return None if self._notes is None else self._notes.get(key)

    def note(self, key: str, value: Any) -> None:
        """Note something (JSON) for after a restart; on disk when this returns. Work that is no job keeps no notes."""
        if self._notes is not None:
            self._notes.put(key, value)


ALONE = Progress()
"""Of work that nobody watches."""
