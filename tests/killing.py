"""Runs jobs in forked children, each killed at a numbered write: as a file is opened to be written, renamed or removed, or a transaction ends.

An order comes as one line of JSON on standard input; what became of the child is answered as one line on standard output.
"""

from __future__ import annotations

import importlib
import json
import os
import signal
import sys
import threading
import time
from concurrent.futures import Executor, ThreadPoolExecutor
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, event

from oskren.store import Home
from oskren.work import recovery
from oskren.work.engine.studio import Studio
from oskren.work.engine.workers import LOOPS, PRELOAD, Workers
from oskren.work.kinds import KINDS

LONGEST_S = 120.0
CHANGING = {"os.rename", "os.remove", "os.mkdir", "os.rmdir", "os.truncate"}


class Threads(Workers):
    """Workers in threads of this process, so that a kill meets them in the middle of what they do."""

    def _make(self, name: str) -> Executor:
        return ThreadPoolExecutor(2)


class Counted:
    """Counts what is written, and kills the process at the n-th of it."""

    def __init__(self, kill: int):
        self.count, self._kill = 0, kill
        self._lock = threading.Lock()

    def listen(self) -> None:
        sys.addaudithook(self._heard)
        event.listen(Engine, "commit", lambda _: self._step())

    def _heard(self, name: str, arguments: tuple[Any, ...]) -> None:
        if name in CHANGING or (name == "open" and isinstance(arguments[1], str) and set(arguments[1]) & set("wax+")):
            self._step()

    def _step(self) -> None:
        with self._lock:
            self.count += 1
            if self.count == self._kill:
                os.kill(os.getpid(), signal.SIGKILL)


def work(order: dict[str, Any]) -> int:
    """Take up what is left, begin the job of an order if it was not begun yet, and wait for all of them; how many writes that took."""
    counted = Counted(order["kill"])
    counted.listen()
    studio = Studio(Home(Path(order["home"])), Threads(2))
    recovery.take_up(studio)
    kind = KINDS[order["kind"]]
    if not any(job.kind == kind.name for job in studio.jobs.all()):
        studio.jobs.start(kind, studio.home.library(order["library"]), kind.name, kind.arguments.model_validate(order["arguments"]))
    deadline = time.monotonic() + LONGEST_S
    while studio.home.jobs.running():
        if time.monotonic() > deadline:
            raise TimeoutError(f"{kind.name} does not end")
        time.sleep(0.01)
    return counted.count


def main() -> None:
    for name in (*PRELOAD, LOOPS):  # once, before there are children
        importlib.import_module(name)
    for line in sys.stdin:
        came, goes = os.pipe()
        child = os.fork()
        if child == 0:
            with os.fdopen(goes, "w") as out:
                out.write(str(work(json.loads(line))))
            os._exit(0)
        os.close(goes)
        with os.fdopen(came) as answer:
            count = answer.read()
        _, status = os.waitpid(child, 0)
        print(json.dumps({"killed": os.WIFSIGNALED(status), "status": status, "writes": int(count or 0)}), flush=True)


if __name__ == "__main__":
    main()
