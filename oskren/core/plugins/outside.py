"""Asking a plug-in something, from the safe side: a process for each job, a limit on its time, and one sentence when it goes wrong."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.plugins import shelf
from oskren.core.plugins.shelf import Parameter, Plugin
from oskren.core.types import Samples

LOOK_S = 30.0
LEAST_S, TIMES = 20.0, 4.0
"""A job may take this long, and so many times the length of the sound besides."""


class PluginError(OskrenError):
    """A plug-in crashed, took too long or refused; it is passed over from now on, unless it was given another try since this was asked for (``late``)."""

    late = False


def _ask(job: dict[str, Any], limit_s: float) -> dict[str, Any]:
    """What the process answers; PluginError with the end of a sentence that says what went wrong."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "oskren.core.plugins.host"], input=json.dumps(job), capture_output=True, text=True, timeout=limit_s, check=False
        )
    except subprocess.TimeoutExpired:
        raise PluginError(f"took longer than {limit_s:.0f} s and was ended") from None
    if done.returncode < 0:
        raise PluginError(f"crashed ({signal.Signals(-done.returncode).name})")
    try:
        answer = json.loads(done.stdout.strip().splitlines()[-1])
    except (ValueError, IndexError):
        raise PluginError(f"ended without an answer (exit status {done.returncode})") from None
    if "failed" in answer:
        raise PluginError(f"refused: {answer['failed'][:300]}")
    return dict(answer)


def open_file(path: Path) -> list[Plugin]:
    """Look into a plug-in file and put the effects in it on the shelf.

    Raises
    ------
    OskrenError
        When there is nothing there, no plug-in, none that takes sound in, or when it crashes on being looked at.
    """
    if not path.exists():
        raise OskrenError(f"{path}: there is nothing there; give the path of a plug-in (a .vst3 file or folder).")
    if path.suffix.lower() != ".vst3":
        raise OskrenError(f"{path}: is no .vst3; only that kind of plug-in can be opened here.")
    try:
        found = _ask({"do": "look", "path": str(path)}, LOOK_S)["found"]
    except PluginError as error:
        raise OskrenError(f"{path}: cannot be opened as a plug-in: it {error}") from None
    if not found:
        raise OskrenError(f"{path}: holds no plug-in that sound can be sent through.")
    opened = []
    for one in found:
        key = shelf.key_of(one["name"], one["maker"])
        parameters = [Parameter(**each) for each in one["parameters"]]
        known = shelf.plugins().get(key)
        facts = {name: one[name] for name in ("name", "maker", "version", "state")}
        opened.append(Plugin(key=key, path=str(path.resolve()), parameters=parameters, tries=known.tries + 1 if known else 0, **facts))
        shelf.put(opened[-1])
    return opened


def through(plugin: Plugin, samples: Samples, rate: int, state: str, values: Mapping[str, float]) -> Samples:
    """A sound, shape (frames, channels), through a plug-in, as long as it was. One that fails is noted on the shelf and passed over from then on.

    Raises
    ------
    PluginError
        In one sentence.
    """
    with tempfile.TemporaryDirectory(prefix="oskren-plugin-") as folder:
        given, taken = Path(folder) / "in", Path(folder) / "out"
        np.ascontiguousarray(samples, np.float32).tofile(given)
        job = {"do": "run", "path": plugin.path, "name": plugin.name, "rate": rate, "channels": samples.shape[1], "state": state, "values": dict(values)}
        try:
            _ask({**job, "input": str(given), "output": str(taken)}, LEAST_S + TIMES * len(samples) / rate)
            out: Samples = np.fromfile(taken, np.float32)
            if out.size != samples.size or not np.isfinite(out).all():
                raise PluginError("gave back something that is no sound of this length")
        except PluginError as error:
            failed = PluginError(f"The plug-in {plugin.name} {error}; it is passed over until it is given another try.")
            failed.late = not shelf.fail(plugin.key, str(error), shelf.try_of(plugin))
            raise failed from None
    return out.reshape(samples.shape)
