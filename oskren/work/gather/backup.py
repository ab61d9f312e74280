"""A library as one file: its database and everything it holds, to be kept or opened elsewhere."""

from __future__ import annotations

import re
import shutil
import sqlite3
import tempfile
import zipfile
import zlib
from datetime import datetime
from pathlib import Path
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import delete, func, select, update

from oskren.core.audio.files import EXTENSIONS, probe
from oskren.core.audio.replacing import replacing
from oskren.core.errors import OskrenError
from oskren.store import Home, Library
from oskren.store.describe.arrivals import ending_of
from oskren.store.tables import FilmRow, Media, Setting, Sound, SoundPath, Watched
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.journal import writing_to
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as examining
from oskren.work.ship.folders import free_name, usable_folder

ENDING = ".oskren-library.zip"
HELD = ("media", "photos", "films")
MOST_FILES = 2_000_000
MOST_RATIO = 1000
"""How many times its packed size a file of a backup may have."""

ROOM = 256 << 20
"""Bytes left free on the disk."""

FILMS = r"films/[^./\\\0][^/\\\0]{0,220}\.(?i:mp4|mov|m4v|mkv|webm|avi)"
KNOWN = re.compile(rf"library\.db|title|media/[0-9a-f]{{2}}/[0-9a-f]{{40}}(\.[a-z0-9]{{1,10}})?|photos/[0-9a-f]{{32}}\.(jpg|png|webp)|{FILMS}")
"""What a library is made of; a sound whose ending says nothing is looked into."""


def write(library: Library, folder: Path, progress: Progress = ALONE) -> Path:
    """Write the library to ``folder`` as one zip, whole or not at all; the path written.

    The database is copied by SQLite while it may go on being used. Files that are only referred to are not in it: they
    are found again where they lie, or by scanning a watched folder.
    """
    usable_folder(folder, "the backup")
    file = free_name(folder, f"{library.folder.name} {datetime.now():%Y-%m-%d %H%M%S}", ENDING, set())
    held = [path for name in HELD for path in (library.folder / name).rglob("*")]
    media = sorted(path for path in held if path.is_file() and KNOWN.fullmatch(str(path.relative_to(library.folder))))
    with writing_to(library.folder.parent.parent, folder), replacing(folder / file) as temporary, tempfile.TemporaryDirectory(prefix="oskren-") as holder:
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
                progress.at(place, len(media))
    return folder / file


def referred(library: Library) -> int:
    """How many sounds a backup holds the words of, but not the audio: their files are referred to where they lie."""
    with library.reading() as session:
        query = select(func.count()).select_from(Sound).join(Media, Media.audio == Sound.audio).where(Media.referred, Sound.trashed.is_(None))
        return session.scalar(query) or 0


def restore(home: Home, path: Path, name: str = "") -> Library:
    """Open a backup as a library of this home, under its own name or another.

    Only what a library is made of is taken out: its database, media under their hashes, photos that are pictures. References that leave its folder
    are let go (:func:`relink` finds the files again by their content), so that a backup can point at no file of this machine.

    Raises
    ------
    OskrenError
        When it is no backup, holds anything else, does not fit on the disk, or the name is taken; nothing is kept then.
    """
    try:
        with zipfile.ZipFile(path) as stored:
            entries = [entry for entry in stored.infolist() if not entry.is_dir()]
            _refuse(path, entries, home)
            names = {entry.filename for entry in entries}
            title = name.strip() or (stored.read("title").decode()[:80] if "title" in names else path.name.removesuffix(ENDING))
            if home.called(title) is not None:
                raise OskrenError(f"There is a library called {title} already; give this one another name.")
            target = home.folder / "libraries" / home.free_folder(title)
            holder = Path(tempfile.mkdtemp(prefix=".restoring-", dir=home.folder))
            try:
                for entry in entries:
                    _take_out(stored, entry, holder, path)
                _check(holder / "library.db", path)
                (holder / "title").write_text(title)
                opened = Library(holder)
                try:
                    _let_go(opened)
                finally:
                    opened.close()
                holder.rename(target)
            except BaseException:
                shutil.rmtree(holder, ignore_errors=True)
                raise
    except (OSError, zipfile.BadZipFile, zlib.error, RuntimeError, NotImplementedError, UnicodeDecodeError) as error:
        raise OskrenError(f"{path}: cannot be opened as a backup of a library ({error}).") from error
    return home.library(target.name)


def _refuse(path: Path, entries: list[zipfile.ZipInfo], home: Home) -> None:
    """Raise OskrenError unless every entry is part of a library, and all of it fits."""
    names = {entry.filename for entry in entries}
    other = sorted(name for name in names if not KNOWN.fullmatch(name))
    if "library.db" not in names or len(entries) > MOST_FILES:
        raise OskrenError(f"{path}: is no backup of a library; choose a file that ends with {ENDING}.")
    if other:
        raise OskrenError(f"{path}: holds '{other[0][:80]}', which is no part of a library; it is not opened.")
    swollen = next((entry for entry in entries if entry.file_size > (1 << 20) and entry.file_size > MOST_RATIO * max(1, entry.compress_size)), None)
    if swollen is not None:
        raise OskrenError(f"{path}: its {swollen.filename} grows more than {MOST_RATIO} times when it is unpacked; it is not opened.")
    size, free = sum(entry.file_size for entry in entries), shutil.disk_usage(home.folder).free
    if size + ROOM > free:
        raise OskrenError(f"{path}: needs {size / 1e9:.1f} GB, and {free / 1e9:.1f} GB are free where Oskren keeps its libraries; free some space first.")


def _take_out(stored: zipfile.ZipFile, entry: zipfile.ZipInfo, holder: Path, path: Path) -> None:
    """One entry, no longer than it says, pictures only when they are pictures."""
    target = holder / entry.filename
    target.parent.mkdir(parents=True, exist_ok=True)
    left = entry.file_size
    with stored.open(entry) as packed, open(target, "wb") as out:
        while part := packed.read(1 << 20):
            left -= len(part)
            if left < 0:
                raise OskrenError(f"{path}: its {entry.filename} is longer than it says; it is not opened.")
            out.write(part)
    if entry.filename.startswith("photos/") and ending_of(target.read_bytes()[:16]) != target.suffix:
        raise OskrenError(f"{path}: its {entry.filename} is no picture; it is not opened.")
    if entry.filename.startswith("media/") and target.suffix not in EXTENSIONS:
        probe(target)


def _let_go(library: Library) -> None:
    """Unset every reference of a restored library that leaves its folder, and every folder it would watch or write to."""
    with library.writing() as session:
        for media in session.scalars(select(Media)).all():
            inside = (library.folder / media.path).resolve()
            if media.referred or not inside.is_relative_to(library.folder.resolve() / "media"):
                session.execute(update(Sound).where(Sound.audio == media.audio).values(missing=True))
                session.execute(update(SoundPath).where(SoundPath.audio == media.audio).values(missing=True))
                session.delete(media)
        for film in session.scalars(select(FilmRow)).all():
            if not (library.folder / film.path).resolve().is_relative_to(library.folder.resolve() / "films"):
                # its copy shows it all the same; for the film itself its file is opened again
                film.path, film.message = f"films/{Path(film.path).name}", "The film itself is not in the backup."
        session.execute(delete(Watched))
        session.execute(delete(Setting).where(Setting.name == "hand over"))


def relink(studio: Studio, library: Library, progress: Progress = ALONE) -> int:
    """Find the files of a restored library again where they lay, each by its content; how many sounds have their file back."""
    with library.reading() as session:
        rows = [(row.path, row.audio, row.sound_id) for row in session.scalars(select(SoundPath).where(SoundPath.missing, SoundPath.audio != ""))]
    there = [row for row in rows if Path(row[0]).is_file()]
    back: set[int] = set()
    for position, (path, audio) in studio.batch([(examining.hash_of, path) for path, _, _ in there], progress):
        _, wanted, id = there[position]
        if audio != wanted:
            continue
        library.keep_media(audio, Path(path), refer=True)
        with library.writing() as session:
            session.execute(update(SoundPath).where(SoundPath.path == path).values(missing=False))
            session.execute(update(Sound).where(Sound.id == id, Sound.audio == audio).values(missing=False))
        back.add(id)
    library.columns.touch(*back)
    return len(back)


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


class BackingUp(Arguments):
    """Write a library into one file of a folder."""

    folder: str


class BackedUp(BaseModel):
    """The file written, and how many sounds are referred to where their files lie, so that their audio is not in it."""

    kind: Literal["backup"] = "backup"
    path: str
    referred: int = 0


class FindingAgain(Arguments):
    """Find the files of a restored library where they lay."""


class FoundAgain(BaseModel):
    """How many sounds have their file back."""

    kind: Literal["relink"] = "relink"
    back: int


BACK_UP = Kind(
    "backup",
    BackingUp,
    lambda _, library, wanted, progress: BackedUp(path=str(write(library, Path(wanted.folder), progress)), referred=referred(library)),
    left="No backup was written; start it again.",
)
RELINK = Kind("relink", FindingAgain, lambda studio, library, _, progress: FoundAgain(back=relink(studio, library, progress)))
