"""Shipments as they are kept, with their reports."""

from __future__ import annotations

from sqlalchemy import select

from oskren.core.errors import NotFound
from oskren.store.library import Library
from oskren.store.tables import Shipment


def shipments(library: Library) -> list[Shipment]:
    """All shipments, the newest first."""
    with library.reading() as session:
        return list(session.scalars(select(Shipment).order_by(Shipment.id.desc())))


def shipment(library: Library, id: int) -> Shipment:
    """A shipment; NotFound when there is none."""
    with library.reading() as session:
        row = session.get(Shipment, id)
    if row is None:
        raise NotFound(f"There is no shipment {id}.")
    return row
