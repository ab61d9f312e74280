"""A library as one file: its database and everything it holds, to be kept or opened elsewhere."""

from __future__ import annotations

import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from oskren.core.audio.files import replacing
from oskren.core.errors import OskrenError
from oskren.store import Home, Library
from oskren.store.home import slug

ENDING = ".oskren-library.zip"
HELD = ("media", "photos")
LARGEST = 1 << 42
MOST_FILES = 2_000_000


def write(library: Library, folder: Path, told: Callable[[int, int], None] | None = None) -> Path:
    """Write the library to ``folder`` as one zip, whole or not at all; the path written.

    The database is copied by SQLite while it may go on being used. Files that are only referred to are not in it: they
    are found again where they lie, or by scanning a watched folder.
    """
    name = f"{library.folder.name} {datetime.now():%Y-%m-%d %H%M%S}{ENDING}"
    held = [path for name in HELD for path in (library.folder / name).rglob("*")]
    media = sorted(path for path in held if path.is_file() and not path.name.startswith("."))
    with replacing(folder / name) as temporary, tempfile.TemporaryDirectory(prefix="oskren-") as holder:
        database = Path(holder) / "library.db"
        source, copy = sqlite3.connect(library.folder / "library.db"), sqlite3.connect(database)
        try:
            source.backup(copy)
        finally:
            source.close()
            copy.close()
        with zipfile.ZipFile(temporary, "w", zipfile.ZIP_STORED, allowZip64=True) as out:
            out.write(database, "library.db", zipfile.ZIP_DEFLATED)
            out.writestr("title", library.name)
            for place, path in enumerate(media, 1):
                out.write(path, str(path.relative_to(library.folder)))
                if told:
                    told(place, len(media))
    return folder / name


def restore(home: Home, path: Path, name: str = "") -> Library:
    """Open a backup as a library of this home, under its own name or another; OskrenError when it is none or the name is taken."""
    try:
        with zipfile.ZipFile(path) as stored:
            entries = stored.infolist()
            names = {entry.filename for entry in entries}
            safe = all(not Path(one).is_absolute() and ".." not in Path(one).parts and one.split("/")[0] in ("library.db", "title", *HELD) for one in names)
            if "library.db" not in names or not safe or len(entries) > MOST_FILES or sum(entry.file_size for entry in entries) > LARGEST:
                raise OskrenError(f"{path}: is no backup of a library; choose a file that ends with {ENDING}.")
            title = name.strip() or (stored.read("title").decode() if "title" in names else path.name.removesuffix(ENDING))
            if slug(title) in home.names():
                raise OskrenError(f"There is a library called {title} already; give this one another name.")
            target = home.folder / "libraries" / slug(title)
            holder = Path(tempfile.mkdtemp(prefix=".restoring-", dir=home.folder))
            try:
                stored.extractall(holder)
                _check(holder / "library.db", path)
                (holder / "title").write_text(title)
                holder.rename(target)
            except BaseException:
                shutil.rmtree(holder, ignore_errors=True)
                raise
    except (OSError, zipfile.BadZipFile, UnicodeDecodeError) as error:
        raise OskrenError(f"{path}: cannot be opened as a backup of a library ({error}).") from error
    return home.library(title)


def _check(database: Path, path: Path) -> None:
    connection = sqlite3.connect(database)
    try:
        fine = connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok" and connection.execute("SELECT count(*) FROM sounds").fetchone()
    except sqlite3.DatabaseError:
        fine = None
    finally:
        connection.close()
    if not fine:
        raise OskrenError(f"{path}: the database in this backup is damaged; use an older backup.")
