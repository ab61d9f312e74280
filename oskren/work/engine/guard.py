"""What may be written where: never over a file that a library refers to or holds, and over a foreign file only when that very file is allowed."""

from __future__ import annotations

import fcntl
import json
import os
from collections.abc import Collection, Iterable, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TextIO

from sqlalchemy import create_engine, text
from sqlalchemy.exc import SQLAlchemyError

from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.store import Home

REMEMBERED = 20_000
"""Files written by commands that are remembered."""


def state_folder() -> Path:
    """Where Oskren notes for this user which homes there are and what its commands wrote (the XDG base directory for state)."""
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "oskren"


# ---- files a library refers to or holds


def _holder(path: Path) -> str | None:
    """The library in whose folder a file lies."""
    for parent in path.parents:
        if (parent / "library.db").exists():
            return parent.name
    return None


def _referring(database: Path, paths: Sequence[str]) -> set[str]:
    """Those of the paths that a library refers to."""
    engine = create_engine(f"sqlite:///file:{database.as_posix()}?mode=ro&uri=true")
    found: set[str] = set()
    try:
        with engine.connect() as connection:
            for at in range(0, len(paths), 500):
                some = {f"p{place}": path for place, path in enumerate(paths[at : at + 500])}
                names = ", ".join(f":{name}" for name in some)
                for table in ("media", "paths"):
                    found |= set(connection.execute(text(f"SELECT path FROM {table} WHERE path IN ({names})"), some).scalars())
    except SQLAlchemyError:
        return set(paths)  # a library that cannot be asked may refer to any of them
    finally:
        engine.dispose()
    return found


def held(homes: Iterable[Path], paths: Iterable[Path]) -> dict[Path, str]:
    """Files that are there and belong to a library of some homes, with the sentence that says so."""
    there = {str(path.resolve()): path for path in paths if path.exists()}
    found: dict[Path, str] = {}
    for resolved, path in there.items():
        holder = _holder(Path(resolved))
        if holder is not None:
            found[path] = f"{path}: belongs to the library {holder} and is never written over; give another name or folder."
    if there:
        for database in sorted({one for home in homes for one in (home / "libraries").glob("*/library.db")}):
            for resolved in _referring(database, list(there)):
                sentence = f"{there[resolved]}: is an original that the library {database.parent.name} refers to and is never written over;"
                found.setdefault(there[resolved], f"{sentence} give another name or folder.")
    return found


def remember_home(home: Path) -> None:
    """Note a home, so that commands that know of none leave the files of its libraries alone."""
    home = home.expanduser().resolve()
    with _noted("homes.json") as noted:
        known = [one for one in noted.get("homes", []) if Path(one).exists()]
        noted["homes"] = sorted({*known, str(home)})


def homes() -> list[Path]:
    """Every home of this user that is known and there."""
    try:
        noted = json.loads((state_folder() / "homes.json").read_text())
    except (OSError, ValueError):
        return []
    return [Path(one) for one in noted.get("homes", []) if Path(one).exists()]


# ---- files a command wrote itself


@contextmanager
def _noted(name: str) -> Any:
    """What is noted in a file of the state folder, to be changed; kept whole or not at all, one process at a time."""
    try:
        state_folder().mkdir(parents=True, exist_ok=True)
        lock: TextIO = open(state_folder() / f"{name}.lock", "w")  # noqa: SIM115
    except OSError:
        yield {}  # a user without a home folder has nothing remembered
        return
    with lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        try:
            noted = json.loads((state_folder() / name).read_text())
        except (OSError, ValueError):
            noted = {}
        yield noted
        with replacing(state_folder() / name) as temporary:
            temporary.write_text(json.dumps(noted))


def _mark(path: Path) -> list[int]:
    facts = path.stat()
    return [facts.st_size, facts.st_mtime_ns]


def note_written(paths: Iterable[Path]) -> None:
    """Remember files that a command wrote, as they are now: it may write them again."""
    with _noted("written.json") as noted:
        for path in paths:
            noted.pop(str(path.resolve()), None)
            noted[str(path.resolve())] = _mark(path)
        for old in list(noted)[: max(0, len(noted) - REMEMBERED)]:
            del noted[old]


def check(paths: Sequence[Path], allowed: Collection[Path] = (), home: Home | None = None) -> None:
    """Raise OskrenError when a command may not write one of the paths; before anything is written.

    Parameters
    ----------
    allowed : collection of Path
        Files that somebody else wrote and that may be written over all the same. Files of a library never are.
    """
    known = [*homes(), *([home.folder] if home is not None else [])]
    refused = held(known, paths)
    if not refused:
        free = {path.resolve() for path in allowed}
        with _noted("written.json") as noted:
            own = dict(noted)
        for path in paths:
            resolved = path.resolve()
            if resolved.exists() and resolved not in free and own.get(str(resolved)) != _mark(resolved):
                refused[path] = f"{path}: is there already, and is not as this command wrote it; give another name, or allow it with --overwrite {path}"
    if refused:
        first = next(iter(refused.values()))
        raise OskrenError(first + (f" ({len(refused)} files are concerned.)" if len(refused) > 1 else ""))
