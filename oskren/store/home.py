"""The home folder: libraries side by side, and one cache for all of them."""

from __future__ import annotations

import os
import re
import threading
import unicodedata
from pathlib import Path

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.cache import Cache
from oskren.core.plugins import shelf
from oskren.store.jobs import JobStore
from oskren.store.library import Library

DEFAULT = "Library"


LONGEST = 60


def slug(name: str) -> str:
    """Folder name of a library: its letters and digits, of any script, in small letters with hyphens between.

    >>> slug("Salt & Glass"), slug("日本語"), slug("Пример 2")
    ('salt-glass', '日本語', 'пример-2')
    """
    text = unicodedata.normalize("NFC", name).casefold()
    return re.sub(r"[\W_]+", "-", text).strip("-")[:LONGEST].strip("-") or "library"


class Home:
    """Everything Oskren keeps: ``libraries/<name>/``, ``cache/``, and ``jobs.db`` with what is being done."""

    def __init__(self, folder: Path, cache_bytes: int = 8 << 30):
        self.folder = folder.expanduser().resolve()
        try:
            (self.folder / "libraries").mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise OskrenError(f"{folder}: cannot be used as Oskren's folder ({error.strerror}); choose another with --home") from error
        os.environ[shelf.VARIABLE] = str(self.folder / "plugins.json")
        self.jobs = JobStore(self.folder / "jobs.db")
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
        folder = self.called(name) if name else (known[0] if known else None)
        if folder is None and not create:
            raise NotFound(f"There is no library '{name or DEFAULT}' in {self.folder}; there are: {', '.join(known) or 'none yet'}.")
        if folder is None:
            folder = self.free_folder(name or DEFAULT)
        with self._opening:
            if folder not in self._open:
                self._open[folder] = Library(self.folder / "libraries" / folder)
            return self._open[folder]

    def called(self, name: str) -> str | None:
        """Folder of the library with a name: that of its folder, or its title; None when there is none."""
        known = self.names()
        wanted = name.strip().casefold()
        titled = next((folder for folder in known if self._title(folder).casefold() == wanted), None)
        return name if name in known else titled or (slug(name) if slug(name) in known and not self._title(slug(name)) else None)

    def _title(self, folder: str) -> str:
        """The title a library was given; empty when it goes by the name of its folder."""
        title = self.folder / "libraries" / folder / "title"
        try:
            return title.read_text().strip() if title.exists() else ""
        except (OSError, UnicodeDecodeError):
            return ""

    def free_folder(self, name: str) -> str:
        """A folder for a new library: by its name, numbered where another library lies there."""
        known, wanted = set(self.names()), slug(name)
        return next(one for one in (wanted, *(f"{wanted}-{number}" for number in range(2, 10_000))) if one not in known)

    def close(self) -> None:
        for library in self._open.values():
            library.close()
        self._open.clear()
        self.jobs.close()
