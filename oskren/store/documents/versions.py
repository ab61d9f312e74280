"""Kept versions of designs and of scenes: states by name, with notes."""

from __future__ import annotations

from typing import Any, TypeVar

from sqlalchemy import func, select
from sqlalchemy.orm import InstrumentedAttribute, Session

from oskren.core.errors import NotFound
from oskren.store.library import Library
from oskren.store.tables import Design, SceneRow, SceneVersion, Version

V = TypeVar("V", Version, SceneVersion)

_OF: dict[type[Version] | type[SceneVersion], tuple[InstrumentedAttribute[int], type[Design] | type[SceneRow], str]] = {
    Version: (Version.design_id, Design, "design"),
    SceneVersion: (SceneVersion.scene_id, SceneRow, "scene"),
}
"""What versions are of."""


def _there(session: Session, table: type[V], id: int) -> InstrumentedAttribute[int]:
    column, holder, called = _OF[table]
    row = session.get(holder, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no {called} {id}; it may have been removed.")
    return column


def versions(library: Library, table: type[V], id: int) -> list[V]:
    """Kept versions of a design or a scene, the oldest first."""
    with library.reading() as session:
        column = _there(session, table, id)
        return list(session.scalars(select(table).where(column == id, table.trashed.is_(None)).order_by(table.id)))


def keep(library: Library, table: type[V], id: int, name: str, notes: str, **state: Any) -> V:
    """Keep a state of a design or a scene by name; without one it is numbered. ``state`` is what else is kept of it."""
    with library.writing() as session:
        column = _there(session, table, id)
        count = session.scalar(select(func.count()).select_from(table).where(column == id)) or 0
        kept = table(**{column.key: id}, name=name.strip() or f"Version {count + 1}", notes=notes, **state)
        session.add(kept)
        session.flush()
    return kept


def change(library: Library, table: type[V], id: int, name: str | None, notes: str | None) -> V:
    """Give a version another name or other notes."""
    with library.writing() as session:
        kept = session.get(table, id)
        if kept is None or kept.trashed:
            raise NotFound(f"There is no version {id}; it may have been removed.")
        kept.name = kept.name if name is None else name.strip() or kept.name
        kept.notes = kept.notes if notes is None else notes
    return kept
