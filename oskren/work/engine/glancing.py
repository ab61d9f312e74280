"""Listening to long sounds while steps still measure all of them: estimates are heard until what is measured takes their place."""

from __future__ import annotations

import contextlib
import threading
import time
import uuid
from concurrent.futures import CancelledError, Future, wait
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes.voices import Shape
from oskren.work.engine import tasks
from oskren.work.engine.place import Workplace
from oskren.work.engine.workers import TooLong, Workers

ESTIMATED = "estimated-"
"""The hash of what is heard by estimates begins so."""

SOON_S = 0.6
"""What is measured within this time is waited for, and nothing is estimated."""

AGAIN = "All of this sound is measured before it can be heard; it is asked for again until then."

LEFT_S = 6.0
"""A page asks again every second whether what it hears is measured; one that has not asked for so long hears something else now."""


@dataclass
class _Measuring:
    future: Future[Any]
    flag: Path
    shape: Shape | None = None
    asked: float = 0.0


def _end(measuring: _Measuring) -> None:
    """End what is being measured: at its next block, when it has begun."""
    if not measuring.future.done() and not measuring.future.cancel():
        with contextlib.suppress(OSError):
            measuring.flag.touch()


class Glancing:
    """What is being measured of long sounds, by the hash of what is heard."""

    def __init__(self, workers: Workers, run: Path):
        self._workers, self._run = workers, run
        self._going: dict[str, _Measuring] = {}
        self._lock = threading.Lock()

    def shape(self, digest: str, place: Workplace, dumped: dict[str, Any]) -> Shape | None:
        """Shape of a node that is to be heard by estimates for now; None when it is measured, or when estimates are no help with it.

        Raises
        ------
        TooLong
            When nothing can be estimated either and it is worth asking again.

        What nobody asks about any more is measured no further.
        """
        with self._lock:
            going = self._going.get(digest)
        if going is None:
            if not self._workers.live(tasks.glance_will_do, place, dumped):
                return None
            going = self._begin(digest, place, dumped)
            wait([going.future], SOON_S)
        going.asked = time.monotonic()
        self._leave(digest)
        if going.future.done():
            with self._lock:
                self._going.pop(digest, None)
            try:
                going.future.result()
            except (Cancelled, CancelledError) as error:  # it was left, and is wanted again just now
                raise TooLong(AGAIN) from error
            return None
        if going.shape is None:
            try:
                going.shape = self._workers.live(tasks.glanced, place, dumped)
            except OskrenError as error:  # what a few parts do not hold all of the sound may
                raise TooLong(AGAIN) from error
        return going.shape

    def _begin(self, digest: str, place: Workplace, dumped: dict[str, Any]) -> _Measuring:
        flag = self._run / f"question-{uuid.uuid4().hex}.cancel"
        future = self._workers.submit("question", tasks.shape, replace(place, flag=str(flag)), dumped)
        future.add_done_callback(lambda _: flag.unlink(missing_ok=True))
        mine = _Measuring(future, flag, asked=time.monotonic())
        with self._lock:
            going = self._going.setdefault(digest, mine)
        if going is not mine:  # another page asked for the same just now
            _end(mine)
        return going

    def _leave(self, but: str) -> None:
        """End what no page waits for any more; ``but`` is what was asked about just now."""
        with self._lock:
            left = [digest for digest, one in self._going.items() if digest != but and time.monotonic() - one.asked > LEFT_S]
            gone = [self._going.pop(digest) for digest in left]
        for one in gone:
            _end(one)
