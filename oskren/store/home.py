"""The home folder: libraries side by side, and one cache for all of them."""

from __future__ import annotations

import os
import re
import threading
from pathlib import Path

from oskren.core.errors import OskrenError
from oskren.core.nodes.cache import Cache
from oskren.core.plugins import shelf
from oskren.store.library import Library

DEFAULT = "Library"


def slug(name: str) -> str:
    """Folder name of a library."""
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "library"


class Home:
    """Everything Oskren keeps: ``libraries/<name>/`` and ``cache/``."""

    def __init__(self, folder: Path, cache_bytes: int = 8 << 30):
        self.folder = folder.expanduser().resolve()
        try:
            (self.folder / "libraries").mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise OskrenError(f"{folder}: cannot be used as Oskren's folder ({error.strerror}); choose another with --home") from error
        os.environ[shelf.VARIABLE] = str(self.folder / "plugins.json")
        self.cache = Cache(self.folder / "cache", cache_bytes)
        self._open: dict[str, Library] = {}
        self._opening = threading.Lock()

    def names(self) -> list[str]:
        """Folder names of the libraries."""
        return sorted(path.parent.name for path in (self.folder / "libraries").glob("*/library.db"))

    def library(self, name: str | None = None, *, create: bool = False) -> Library:
        """Open a library by name; without one the only or first.

        Raises
        ------
        OskrenError
            When there is no such library and ``create`` is not asked for.
        """
        known = self.names()
        folder = slug(name) if name else (known[0] if known else slug(DEFAULT))
        if folder not in known and not create:
            raise OskrenError(f"There is no library '{name or DEFAULT}' in {self.folder}; there are: {', '.join(known) or 'none yet'}.")
        with self._opening:
            if folder not in self._open:
                self._open[folder] = Library(self.folder / "libraries" / folder)
            return self._open[folder]

    def close(self) -> None:
        for library in self._open.values():
            library.close()
        self._open.clear()
