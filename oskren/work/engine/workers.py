"""Worker processes: one *live* worker for what someone waits to hear, one for what was *asked* for by hand (a print, a version, a part kept),
two for *questions* (meters, pictures of sounds and steps), and a *batch* pool behind them for jobs and what is completed behind what is heard.

They start by forkserver with the heavy libraries preloaded: a process of its own loads them once, beside a command that opens its home meanwhile.
The pool is a ``concurrent.futures.Executor``; a broken one is made anew at the next use.
"""

from __future__ import annotations

import importlib
import multiprocessing
import os
import pickle
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import Executor, Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import Any

from oskren.core.errors import OskrenError
from oskren.core.plugins import shelf
from oskren.core.plugins.outside import PluginError
from oskren.work.engine import beforehand

TASKS = [f"oskren.work.{stage}.tasks" for stage in ("engine", "gather", "mend", "stack", "slice", "ship")]
"""What workers do, by stage."""

PRELOAD = ["numpy", "scipy.signal", "scipy.ndimage", "scipy.fft", "soundfile", "soxr", "python_stretch", *TASKS]

LOOPS = "oskren.core.steps.kernels"
"""Loops from sample to sample; numba compiles them when they are first loaded after an install, which takes a while, and keeps that beside them."""


def compiled() -> bool:
    """Whether the loops were compiled before, so that loading them takes no time."""
    place = Path(__file__).parents[2] / "core" / "steps" / "__pycache__"
    return any(place.glob("kernels.*.nbi"))


def load_loops() -> None:
    """Compile the loops, behind everything else, before somebody needs them."""
    importlib.import_module(LOOPS)


def _preload(command: bool) -> list[str]:
    if command:
        return beforehand.OF_A_COMMAND
    return [*PRELOAD, LOOPS] if compiled() else PRELOAD


QUESTIONS = 2
"""Questions answered at once: a page asks no more of the slow ones at a time."""

STEP_BACK = {"question": 4, "batch": 10}
"""How far (nice) workers step back behind what is heard. An answer somebody looks for steps back a little: at 10 it waits for minutes on a busy machine."""


def _begin(name: str, shelf_at: str) -> None:
    """What a new worker does first: it learns where the plug-ins are, and ends itself when the process it works for is gone, however that was killed."""
    os.environ[shelf.VARIABLE] = shelf_at
    os.nice(STEP_BACK.get(name, 0))

    def watch() -> None:
        parent = multiprocessing.parent_process()
        if parent is not None:
            parent.join()
            os._exit(1)

    threading.Thread(target=watch, daemon=True, name="watching the server").start()


LIVE_S = 40.0
"""How long somebody may wait for the live worker; then it is replaced, since everybody's listening waits with them."""

TOO_LONG = f"This takes longer than {LIVE_S:.0f} s to render; it was stopped so that listening goes on. Freeze or print what it is made of, or make it shorter."


class TooLong(OskrenError):
    """Work for listening went past its time."""

    status = 425  # RFC 8470: too early; it may be asked for again


TRIES = 4


def patiently(function: Callable[..., Any], *arguments: Any) -> Any:
    """Run a task; when a plug-in fails in it, it is passed over from then on and the task is done again without it.

    A task that was asked for before a plug-in was given another try ends with its failure: it says nothing of that try, and nobody waits for it.
    """
    for _ in range(TRIES):
        try:
            with shelf.as_it_is():
                return function(*arguments)
        except PluginError as error:
            if error.late:
                raise
        # what was found out of descriptions on the way holds no more
        arguments = pickle.loads(pickle.dumps(arguments))
    with shelf.as_it_is():
        return function(*arguments)


def as_asked(tries: Mapping[str, int], function: Callable[..., Any], *arguments: Any) -> Any:
    """Run a task as of when it was asked for: a plug-in that fails in it failed in the try of then."""
    with shelf.asked_in(tries):
        return patiently(function, *arguments)


def _kill(pool: ProcessPoolExecutor) -> None:
    """End the workers of a pool in the middle of what they do; there is no public way."""
    for process in list((pool._processes or {}).values()):
        process.kill()


class Workers:
    """The live worker, that for what was asked for by hand, those for questions, and the batch pool; each made when first used."""

    def __init__(self, size: int | None = None, *, command: bool = False):
        self.size, self._command = size or os.cpu_count() or 2, command
        self.patience_s = LIVE_S
        self._pools: dict[str, Executor] = {}
        self._closed = False
        self._lock = threading.Lock()

    def _make(self, name: str) -> Executor:
        count = {"question": QUESTIONS, "batch": self.size}.get(name, 1)
        shelf_at = os.environ.get(shelf.VARIABLE, "")
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(_preload(self._command))
        return ProcessPoolExecutor(count, mp_context=context, initializer=_begin, initargs=(name, shelf_at))

    def begin(self) -> None:
        """Load what workers need, in a process beside this one, before the first of them is asked for."""
        beforehand.begin(_preload(self._command))

    def warm(self) -> None:
        """Start the live worker, which takes a while, before somebody waits for it; after a fresh install compile the loops behind it."""
        self.submit("live", os.getpid)
        if not compiled():
            self.submit("batch", load_loops)

    def submit(self, name: str, function: Callable[..., Any], *arguments: Any) -> Future[Any]:
        """Run a function of ``tasks`` in the live worker ("live"), in that for what was asked for by hand ("asked"), for a question, or in the "batch" pool."""
        for _ in range(3):
            with self._lock:
                if self._closed:
                    raise RuntimeError("the worker processes were ended with the server")
                pool = self._pools.get(name) or self._pools.setdefault(name, self._make(name))
            try:
                return pool.submit(as_asked, shelf.tries(), function, *arguments)
            except (BrokenProcessPool, RuntimeError):
                self._drop(name, pool)
        raise RuntimeError("the worker processes cannot be started")

    def _drop(self, name: str, pool: Executor | None) -> None:
        """Let go of a pool that is broken; a new one is made at the next use."""
        with self._lock:
            if self._pools.get(name) is pool:
                self._pools.pop(name, None)

    def live(self, function: Callable[..., Any], *arguments: Any, within_s: float | None = None) -> Any:
        """Run in the live worker and wait; a worker that died is replaced and the call made once more.

        Raises
        ------
        TooLong
            When it takes longer than ``within_s``: the worker is ended and replaced, so that others hear again.
        """
        for last in (False, False, True):
            pool = self._pools.get("live")
            future = self.submit("live", function, *arguments)
            try:
                return future.result(self.patience_s if within_s is None else within_s)
            except BrokenProcessPool:
                self._drop("live", pool or self._pools.get("live"))
                if last:
                    raise
            except TimeoutError as error:
                if not future.cancel():  # it is this call that takes so long, not one before it
                    self._end_live()
                raise TooLong(TOO_LONG) from error
        raise AssertionError("not reached")

    def _end_live(self) -> None:
        with self._lock:
            pool = self._pools.pop("live", None)
        if isinstance(pool, ProcessPoolExecutor):
            _kill(pool)
            pool.shutdown(wait=False, cancel_futures=False)

    def close(self) -> None:
        """End the workers. A command waits for them; a server ends those that are busy: what they were at is taken up at its next start."""
        with self._lock:
            self._closed = True
            pools = list(self._pools.values())
            self._pools.clear()
        for pool in pools:
            if isinstance(pool, ProcessPoolExecutor) and not self._command:
                _kill(pool)
            pool.shutdown(wait=self._command, cancel_futures=True)
