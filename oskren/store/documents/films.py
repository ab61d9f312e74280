"""Films as they are kept: where each lies, what it holds, and the copy that is played."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import select

from oskren.core.errors import NotFound
from oskren.core.nodes.model import Node, NodeAdapter
from oskren.core.picture.film import Film
from oskren.store.library import Library
from oskren.store.tables import FilmRow

FOLDER = "films"
"""Folder of a library with films that were sent to it, and the copies that are played."""


def add(library: Library, name: str, path: Path, film: Film) -> int:
    """Take a film in; its id. One that lies in the library's folder is noted relative to it, so that the library can be moved."""
    inside = path.is_relative_to(library.folder)
    with library.writing() as session:
        row = FilmRow(name=name, path=str(path.relative_to(library.folder) if inside else path), film=film.model_dump(mode="json"))
        session.add(row)
        session.flush()
        return row.id


def films(library: Library) -> list[FilmRow]:
    """All films, the newest first."""
    with library.reading() as session:
        return list(session.scalars(select(FilmRow).order_by(FilmRow.id.desc())))


def film(library: Library, id: int) -> FilmRow:
    """A film of the library; NotFound when there is none."""
    with library.reading() as session:
        row = session.get(FilmRow, id)
    if row is None:
        raise NotFound(f"There is no film {id} in this library; open its file again.")
    return row


def path_of(library: Library, row: FilmRow) -> Path:
    """Where the file of a film lies; NotFound when its note leads out of the library's folder, as that of a foreign backup may."""
    path = library.folder / row.path
    if not Path(row.path).is_absolute() and ".." in Path(row.path).parts:
        raise NotFound(f"{row.name}: its file is not in this library; open it again.")
    return path


def proxy_of(library: Library, id: int) -> Path:
    """Where the copy that is played lies, or will."""
    return library.folder / FOLDER / f"played-{id}.mp4"


def guide_of(row: FilmRow) -> Node | None:
    """The film's own sound as a node; None when it has none."""
    return None if row.guide is None else NodeAdapter.validate_python(row.guide)


def ended(library: Library, id: int, state: str, message: str = "", shots: Sequence[int] = (), guide: Node | None = None) -> None:
    """Note what came of opening a film."""
    with library.writing() as session:
        row = session.get(FilmRow, id)
        if row is not None:
            row.state, row.message, row.shots = state, message, list(shots)
            row.guide = None if guide is None else guide.model_dump(mode="json")
