"""Files written beside their place and renamed over it: whole or not at all, and what a killed process left is swept."""

from __future__ import annotations

import contextlib
import hashlib
import os
import platform
import tempfile
from collections.abc import Iterator
from pathlib import Path

import psutil
import soundfile as sf

from oskren.core.errors import OskrenError

TEMPORARY = f".oskren-{hashlib.blake2b(platform.node().encode(), digest_size=3).hexdigest()}-"
"""How the names of files begin that are being written: by this machine, by the process whose number follows."""


def running(process: int) -> bool:
    """Whether a process of this machine still runs; one that ended, but that its parent has not asked after, does not."""
    try:
        return bool(psutil.Process(process).status() not in (psutil.STATUS_ZOMBIE, psutil.STATUS_DEAD))
    except psutil.NoSuchProcess:
        return False


def sweep(folder: Path) -> int:
    """Remove what killed processes left half-written in a folder (not below it); how many files. What living processes write stays."""
    gone = 0
    for path in folder.glob(f"{TEMPORARY}*"):
        process = path.name.removeprefix(TEMPORARY).split("-")[0]
        if process.isdigit() and not running(int(process)):
            path.unlink(missing_ok=True)
            gone += 1
    return gone


@contextlib.contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Give a temporary path in the target's folder; on success flush it and rename it over ``path``, else remove it.

    Raises
    ------
    OskrenError
        When the disk is full or the folder cannot be written; nothing is left behind.
    """
    temporary: Path | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(prefix=f"{TEMPORARY}{os.getpid()}-", suffix=path.suffix, dir=path.parent)
        os.close(handle)
        temporary = Path(name)
        yield temporary
        with open(temporary, "rb+") as stream:
            os.fsync(stream.fileno())
        temporary.chmod(0o644)
        temporary.replace(path)
    except (OSError, sf.LibsndfileError) as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        full = "No space left" in str(error) or getattr(error, "errno", None) == 28
        what = "the disk is full; free some space and try again" if full else f"cannot be written ({error})"
        raise OskrenError(f"{path}: {what}") from error
    except BaseException:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise
