"""What worker processes load before they are asked for, begun before all else is loaded here; nothing heavy stands in this module."""

from __future__ import annotations

from multiprocessing import forkserver

OF_A_COMMAND = ["scipy.signal", "scipy.fft", "scipy.ndimage", "oskren.work.engine.tasks", "oskren.work.gather.tasks"]
"""What the workers of every command need; what only some need they load themselves."""


def begin(loaded: list[str] = OF_A_COMMAND) -> None:
    """Load modules that workers need in a process beside this one, of which workers are forked later."""
    forkserver.set_forkserver_preload(loaded)
    forkserver.ensure_running()
