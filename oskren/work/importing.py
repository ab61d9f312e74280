"""Import: files and folders become sounds of a library; bad files are listed and harm nothing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import select

from oskren.core.audio.files import find_audio
from oskren.core.words.propose import propose
from oskren.store import Library
from oskren.store.library import Examined
from oskren.store.tables import Arrival, SoundPath
from oskren.work import tasks
from oskren.work.studio import Studio, Told


@dataclass
class Imported:
    """What came of an import."""

    arrival: int = 0
    imported: int = 0
    already_there: int = 0
    skipped: list[dict[str, str]] = field(default_factory=list)


def import_paths(
    studio: Studio,
    library: Library,
    paths: list[Path],
    name: str,
    *,
    refer: bool = False,
    told: Told | None = None,
    stop: Callable[[], bool] = lambda: False,
    names: dict[str, str] | None = None,
    kind: str = "original",
) -> Imported:
    """Import files and folders; every file is its own transaction, so what is in stays in when the rest is cancelled.

    Parameters
    ----------
    names : dict, optional
        Names to give instead of the file's own, by path.
    """
    result = Imported()
    wanted = list(find_audio(paths, lambda path, reason: result.skipped.append({"path": str(path), "reason": reason}), leave=studio.home.folder))
    with library.reading() as session:
        known = {row.path: (row.size, row.modified) for row in session.scalars(select(SoundPath))}
    fresh = []
    for path in wanted:
        facts = path.stat()
        if known.get(str(path.resolve())) == (facts.st_size, facts.st_mtime):
            result.already_there += 1
        else:
            fresh.append(path)
    result.arrival = library.arrival(name)
    place = studio.place()
    try:
        for _, found in studio.batch([(tasks.examine, place, str(path)) for path in fresh], told, stop):
            if isinstance(found, Examined):
                title = (names or {}).get(found.path)
                if library.add_original(found, result.arrival, propose(title or found.path), refer=refer, kind=kind, name=title):
                    result.imported += 1
                else:
                    result.already_there += 1
            else:
                result.skipped.append({"path": found[0], "reason": found[1]})
    finally:
        with library.writing() as session:
            arrival = session.get(Arrival, result.arrival)
            assert arrival is not None
            arrival.skipped = sorted(result.skipped, key=lambda one: one["path"])
            if not result.imported and not result.skipped:
                session.delete(arrival)
    return result
