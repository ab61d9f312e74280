"""Spreads as they are kept, with their variations."""

from __future__ import annotations

from sqlalchemy import select

from oskren.core.errors import NotFound
from oskren.store.library import Library
from oskren.store.tables import Draw, Spread


def heads(library: Library) -> list[tuple[Spread, list[str]]]:
    """All spreads, the newest first, each with the states of its variations."""
    states: dict[int, list[str]] = {}
    with library.reading() as session:
        rows = list(session.scalars(select(Spread).order_by(Spread.id.desc())))
        for spread, state in session.execute(select(Draw.spread_id, Draw.state)):
            states.setdefault(spread, []).append(state)
    return [(row, states.get(row.id, [])) for row in rows]


def spread(library: Library, number: int) -> tuple[Spread, list[Draw]]:
    """A spread and its variations by number; NotFound when there is none."""
    with library.reading() as session:
        row = session.get(Spread, number)
        draws = list(session.scalars(select(Draw).where(Draw.spread_id == number).order_by(Draw.number)))
    if row is None:
        raise NotFound(f"There is no spread {number}; it may have been removed.")
    return row, draws
