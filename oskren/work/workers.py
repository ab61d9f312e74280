"""Worker processes: one *live* worker for what someone waits to hear, a batch pool behind it.

Both start by forkserver with the heavy libraries preloaded. The pool is a ``concurrent.futures.Executor``; a broken one
is made anew at the next use.
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import pickle
import threading
from collections.abc import Callable
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from oskren.core.plugins import shelf
from oskren.core.plugins.outside import PluginError

PRELOAD = ["numpy", "scipy.signal", "scipy.ndimage", "scipy.fft", "soundfile", "soxr", "python_stretch", "oskren.work.tasks", "oskren.core.steps.kernels"]


def _context() -> Any:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(PRELOAD)
    return context


def _begin(gentle: bool, shelf_at: str) -> None:
    """What a new worker does first: it learns where the plug-ins are, and ends itself when the process it works for is gone, however that was killed."""
    os.environ[shelf.VARIABLE] = shelf_at
    if gentle:
        os.nice(10)

    def watch() -> None:
        parent = multiprocessing.parent_process()
        if parent is not None:
            parent.join()
            os._exit(1)

    threading.Thread(target=watch, daemon=True, name="watching the server").start()


TRIES = 4


def patiently(function: Callable[..., Any], *arguments: Any) -> Any:
    """Run a task; when a plug-in fails in it, it is passed over from then on and the task is done again without it."""
    for _ in range(TRIES):
        with contextlib.suppress(PluginError), shelf.as_it_is():
            return function(*arguments)
        # what was found out of descriptions on the way holds no more
        arguments = pickle.loads(pickle.dumps(arguments))
    with shelf.as_it_is():
        return function(*arguments)


class Workers:
    """The live worker, the one that completes sounds behind it, and the batch pool; made when first used."""

    def __init__(self, size: int | None = None):
        self.size = size or os.cpu_count() or 2
        self._pools: dict[str, Executor] = {}

    def _make(self, name: str) -> Executor:
        live = name == "live"
        return ProcessPoolExecutor(1 if live else self.size, mp_context=_context(), initializer=_begin, initargs=(not live, os.environ.get(shelf.VARIABLE, "")))

    def warm(self) -> None:
        """Start the live worker, which takes a while, before somebody waits for it."""
        self.submit("live", os.getpid)

    def submit(self, name: str, function: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """Run a function of ``tasks`` in the live worker ("live") or the batch pool ("batch")."""
        for _ in range(2):
            pool = self._pools.get(name)
            if pool is None:
                pool = self._pools[name] = self._make(name)
            try:
                return pool.submit(patiently, function, *arguments)
            except (BrokenProcessPool, RuntimeError):
                self._pools.pop(name, None)
        raise RuntimeError("the worker processes cannot be started")

    def live(self, function: Callable[..., Any], *arguments: Any) -> Any:
        """Run in the live worker and wait; a worker that died is replaced and the call made once more."""
        try:
            return self.submit("live", function, *arguments).result()
        except BrokenProcessPool:
            self._pools.pop("live", None)
            return self.submit("live", function, *arguments).result()

    def close(self) -> None:
        for pool in self._pools.values():
            pool.shutdown(wait=False, cancel_futures=True)
        self._pools.clear()
