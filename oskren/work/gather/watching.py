"""Watched folders: their files are referred to where they lie; a rescan finds what is new, missing or moved."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import delete, select, update

from oskren.core.audio.walking import find_audio
from oskren.core.errors import OskrenError
from oskren.core.types import Failed
from oskren.store import Library
from oskren.store.tables import Media, Sound, SoundPath, Watched, now
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather import tasks as examining
from oskren.work.gather.importing import begin_follow_up, import_paths


class Scan(BaseModel):
    """What a rescan found. ``moved`` files have the same content as one that is gone from its old path."""

    kind: Literal["rescan"] = "rescan"
    new: int = 0
    missing: int = 0
    moved: int = 0
    back: int = 0
    unchanged: int = 0
    arrival: int = 0
    skipped: list[Failed] = []


def watch(library: Library, path: Path) -> None:
    """Watch a folder; OskrenError when it cannot be one."""
    if not path.is_dir():
        raise OskrenError(f"{path}: is no folder of this machine; check the path.")
    path = path.resolve()
    with library.reading() as session:
        others = [Path(other) for other in session.scalars(select(Watched.path))]
    for other in others:
        if path == other or path.is_relative_to(other):
            raise OskrenError(f"{path}: is watched already{'' if path == other else f', as a part of {other}'}.")
        if other.is_relative_to(path):
            raise OskrenError(f"{path}: holds {other}, which is watched already; stop watching that one first.")
    with library.writing() as session:
        session.add(Watched(path=str(path)))


def unwatch(library: Library, path: str) -> None:
    """Stop watching; the sounds stay in the library."""
    with library.writing() as session:
        if session.get(Watched, path) is None:
            raise OskrenError(f"{path}: is not watched.")
        session.execute(delete(Watched).where(Watched.path == path))


def leave_out(library: Library, path: str, folders: list[str]) -> None:
    """Say which folders inside a watched one are not looked at."""
    with library.writing() as session:
        row = session.get(Watched, path)
        if row is None:
            raise OskrenError(f"{path}: is not watched.")
        for folder in folders:
            if not Path(folder).is_relative_to(path) or folder == path:
                raise OskrenError(f"{folder}: does not lie inside {path}.")
        row.left_out = sorted(set(folders))


def rescan(studio: Studio, library: Library, path: str, progress: Progress = ALONE) -> Scan:
    """Compare a watched folder with the library: import what is new, follow what was moved, mark what is missing.

    A folder that is away as a whole (a disk not plugged in) is reported and changes nothing.
    """
    path = str(Path(path).resolve())
    with library.reading() as session:
        row = session.get(Watched, path)
        if row is None:
            raise OskrenError(f"{path}: is not watched.")
        leave = [Path(folder) for folder in row.left_out]
        known = {one.path: one for one in session.scalars(select(SoundPath)) if Path(one.path).is_relative_to(path)}
    if not Path(path).is_dir():
        raise OskrenError(f"{path}: the watched folder is not there; plug in its disk or stop watching it. Nothing was changed.")
    scan = Scan()
    seen: list[Failed] = []
    found = {
        str(one.resolve())
        for one in find_audio([Path(path)], lambda one, why: seen.append({"path": str(one), "reason": why}), leave={studio.home.folder, *leave})
    }
    gone = {one: row for one, row in known.items() if not Path(one).exists()}
    scan.unchanged = len(known) - len(gone)
    scan.back = _mark(library, [one for one, row in known.items() if one in found and row.missing], missing=False)
    fresh = sorted(found - set(known))
    wanted = {row.audio: one for one, row in gone.items() if row.audio}
    if wanted and fresh:
        sizes = {row.size for row in gone.values()}
        maybe = [one for one in fresh if Path(one).exists() and Path(one).stat().st_size in sizes]
        for _, (one, audio) in studio.batch([(examining.hash_of, one) for one in maybe], progress, counts=False):
            old = wanted.pop(audio, None)
            if old is not None:
                _moved(library, old, one, audio)
                gone.pop(old)
                scan.moved += 1
    scan.missing = _mark(library, list(gone), missing=True)
    result = import_paths(studio, library, [Path(path)], f"Watched: {Path(path).name}", refer=True, progress=progress, leave=leave, quiet=True)
    scan.new, scan.skipped = result.imported + result.formats, list({one["path"]: one for one in (*seen, *result.skipped)}.values())
    scan.missing += len(set(result.displaced))
    scan.unchanged -= len(result.displaced)
    scan.arrival = result.arrival if result.imported else 0
    with library.writing() as session:
        again = session.get(Watched, path)
        if again is not None:
            again.scanned, again.found = now(), scan.model_dump(exclude={"kind", "skipped"}) | {"skipped": len(scan.skipped)}
    return scan


def _mark(library: Library, paths: list[str], *, missing: bool) -> int:
    """Mark paths as missing or back, and the sounds none of whose files is left; how many paths changed."""
    touched: set[int] = set()
    changed = 0
    with library.writing() as session:
        for path in paths:
            row = session.get(SoundPath, path)
            if row is None or row.missing == missing:
                continue
            row.missing = missing
            changed += 1
            touched.add(row.sound_id)
        session.flush()
        for id in touched:
            sound = session.get(Sound, id)
            assert sound is not None
            media = session.get(Media, sound.audio)
            left = session.scalar(select(SoundPath.path).where(SoundPath.sound_id == id, SoundPath.audio == sound.audio, SoundPath.missing.is_(False)).limit(1))
            if media is not None and media.referred and left is not None:
                media.path = left
            sound.missing = media is not None and media.referred and left is None
    library.columns.touch(*touched)
    return changed


def _moved(library: Library, old: str, new: str, audio: str) -> None:
    """The file at ``old`` lies at ``new`` now: its sound goes with it."""
    facts = Path(new).stat()
    with library.writing() as session:
        row = session.get(SoundPath, old)
        assert row is not None
        id = row.sound_id
        session.merge(SoundPath(path=new, sound_id=id, size=facts.st_size, modified=facts.st_mtime, audio=audio, format=row.format))
        session.delete(row)
        session.execute(update(Media).where(Media.audio == audio, Media.referred).values(path=new))
        sound = session.get(Sound, id)
        assert sound is not None
        sound.missing = False
        if sound.folder == str(Path(old).parent):
            sound.folder = str(Path(new).parent)
    library.columns.touch(id)


class Scanning(Arguments):
    """Compare a watched folder with the library."""

    path: str


def _rescan(studio: Studio, library: Library, wanted: Scanning, progress: Progress) -> Scan:
    try:
        return rescan(studio, library, wanted.path, progress)
    finally:
        begin_follow_up(studio, library)


RESCAN = Kind("rescan", Scanning, _rescan, left="It is scanned at every start.", behind=True)
