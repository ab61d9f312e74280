"""The shelf: plug-ins the user has opened, known by name and maker, in one small file that every process reads.

A chain names a plug-in by its key only. What is not on the shelf is never loaded, so a bundle from elsewhere cannot have a file of its choice run.
"""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from pathlib import Path

from pydantic import BaseModel, Field, ValidationError

from oskren.core.errors import OskrenError

VARIABLE = "OSKREN_PLUGINS"
"""Environment variable that says where the shelf lies; a home sets it, workers inherit it."""


class Parameter(BaseModel):
    """A parameter as a plug-in names it: its value runs from 0 to 1 (``default``); ``options`` are what it reads as where there are few."""

    name: str
    label: str
    unit: str = ""
    default: float = Field(ge=0, le=1)
    options: list[str] = []


class Plugin(BaseModel):
    """A plug-in on the shelf: ``state`` is what it begins with (base64), ``failed`` why it is passed over, if it is."""

    key: str = Field(pattern="^[0-9a-f]{16}$")
    path: str
    name: str
    maker: str = ""
    version: str = ""
    parameters: list[Parameter] = []
    state: str = ""
    failed: str = ""
    tries: int = Field(0, ge=0)
    """How often it was given another try: what was begun before the last one says nothing of it."""

    @property
    def stamp(self) -> list[str | int]:
        """What tells one build of it from another: version, and size and time of its file; no file, no stamp."""
        files = sorted(path for path in Path(self.path).rglob("*") if path.is_file()) if Path(self.path).is_dir() else [Path(self.path)]
        try:
            facts = [path.stat() for path in files]
        except OSError:
            return []
        return [self.name, self.version, sum(one.st_size for one in facts), max((one.st_mtime_ns for one in facts), default=0)] if facts else []

    @property
    def passed_over(self) -> str:
        """Why it cannot be used now, in a few words; empty when it can."""
        return self.failed or ("" if self.stamp else f"is missing: there is nothing at {self.path}")


def key_of(name: str, maker: str) -> str:
    """Key of a plug-in: the same on every machine that has it."""
    return hashlib.blake2b(f"{name}\n{maker}".encode(), digest_size=8).hexdigest()


_read: dict[tuple[str, int, int], dict[str, Plugin]] = {}


def _file() -> Path | None:
    named = os.environ.get(VARIABLE)
    return Path(named) if named else None


def plugins() -> dict[str, Plugin]:
    """Everything on the shelf, by key; nothing where there is no shelf or it cannot be read."""
    path = _file()
    try:
        facts = path.stat() if path else None
    except OSError:
        facts = None
    if path is None or facts is None:
        return {}
    mark = (str(path), facts.st_mtime_ns, facts.st_size)
    if mark not in _read:
        try:
            found = [Plugin.model_validate(one) for one in json.loads(path.read_text())]
        except (OSError, ValueError, ValidationError):
            found = []
        _read.clear()
        _read[mark] = {one.key: one for one in found}
    return _read[mark]


@dataclass
class Seen:
    """A plug-in as it stands: what tells this build of it from another, and why it is passed over, if it is."""

    plugin: Plugin
    stamp: list[str | int]
    passed_over: str


_held: ContextVar[tuple[dict[str, Plugin], dict[str, Seen]] | None] = ContextVar("shelf as it was", default=None)


@contextmanager
def as_it_is() -> Iterator[None]:
    """Within this the shelf is seen as it is at the beginning: what hangs together must not change its mind when a plug-in fails elsewhere."""
    token = _held.set((dict(plugins()), {}))
    try:
        yield
    finally:
        _held.reset(token)


def seen(key: str) -> Seen | None:
    """How a plug-in stands; None for one that is not on the shelf."""
    held = _held.get()
    known, looked_at = held if held is not None else (plugins(), {})
    if key not in looked_at and key in known:
        looked_at[key] = Seen(known[key], known[key].stamp, known[key].passed_over)
    return looked_at.get(key)


def _write(all_of_them: dict[str, Plugin]) -> None:
    path = _file()
    if path is None:
        raise OskrenError("There is no place to keep plug-ins; start Oskren with a home folder.")
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile("w", dir=path.parent, suffix=".part", delete=False) as stream:
        json.dump([one.model_dump() for one in all_of_them.values()], stream, indent=1)
    os.replace(stream.name, path)


def put(plugin: Plugin) -> None:
    """Put a plug-in on the shelf, in place of an older one of the same name and maker."""
    _write({**plugins(), plugin.key: plugin})


def remove(key: str) -> None:
    """Take a plug-in off the shelf; steps that use it are passed over then."""
    _write({one.key: one for one in plugins().values() if one.key != key})


def fail(key: str, reason: str, tries: int | None = None) -> bool:
    """Pass a plug-in over from now on, for a reason; not when it was given another try since the one (``tries``) in which it failed. Whether it is."""
    known = plugins().get(key)
    if known is None or tries not in (None, known.tries):
        return False
    put(known.model_copy(update={"failed": reason}))
    return True


_asked: ContextVar[Mapping[str, int] | None] = ContextVar("tries when it was asked for", default=None)


def tries() -> dict[str, int]:
    """In which try every plug-in is now, by key: what waits for a worker was asked for in these."""
    return {key: plugin.tries for key, plugin in plugins().items()}


@contextmanager
def asked_in(tries: Mapping[str, int]) -> Iterator[None]:
    """Within this a plug-in that fails failed in the try in which it was asked for, however late that comes to run."""
    token = _asked.set(tries)
    try:
        yield
    finally:
        _asked.reset(token)


def try_of(plugin: Plugin) -> int:
    """The try a run of a plug-in belongs to."""
    return (_asked.get() or {}).get(plugin.key, plugin.tries)


def try_again(key: str) -> None:
    """Give a plug-in that failed another try."""
    known = plugins().get(key)
    if known is not None:
        put(known.model_copy(update={"failed": "", "tries": known.tries + 1}))
