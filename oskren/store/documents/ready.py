"""Ready sheets as they are kept by name."""

from __future__ import annotations

from sqlalchemy import select

from oskren.core.errors import NotFound
from oskren.core.ship.draft import ReadySheet
from oskren.store.documents.trash import LONGEST_NAME
from oskren.store.library import Library
from oskren.store.tables import ReadySheetRow


def ready_sheets(library: Library) -> list[ReadySheetRow]:
    """All that are kept, by name."""
    with library.reading() as session:
        return list(session.scalars(select(ReadySheetRow).where(ReadySheetRow.trashed.is_(None)).order_by(ReadySheetRow.name, ReadySheetRow.id)))


def ready_sheet(library: Library, id: int) -> ReadySheet:
    """One of them; NotFound when there is none."""
    with library.reading() as session:
        row = session.get(ReadySheetRow, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no ready sheet {id}; it may have been removed.")
    return ReadySheet.model_validate(row.saved | {"name": row.name})


def keep(library: Library, sheet: ReadySheet) -> int:
    """Keep one; one of the same name is replaced. Its id."""
    name = sheet.name.strip()[:LONGEST_NAME]
    with library.writing() as session:
        row = session.scalar(select(ReadySheetRow).where(ReadySheetRow.name == name, ReadySheetRow.trashed.is_(None)))
        if row is None:
            row = ReadySheetRow(name=name, saved={})
            session.add(row)
        row.saved = sheet.model_dump(mode="json")
        session.flush()
        return row.id
