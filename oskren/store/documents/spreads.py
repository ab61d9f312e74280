"""Spreads as they are kept, with their variations and what is said of those."""

from __future__ import annotations

from typing import get_args

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound
from oskren.core.nodes.model import Mix
from oskren.core.vary.judging import Judgement, Judgements
from oskren.store.documents.revisions import step_on
from oskren.store.library import Library
from oskren.store.tables import Design, Draw, Spread

SAID = get_args(Judgement)


def spread_row(session: Session, id: int) -> Spread:
    """A spread's row; NotFound when there is none."""
    row = session.get(Spread, id)
    if row is None:
        raise NotFound(f"There is no spread {id}; it may have been removed.")
    return row


def design_of(session: Session, row: Spread) -> int | None:
    """The design a spread was drawn from; None when it is in the trash, or deleted."""
    found = session.get(Design, row.design_id) if row.design_id is not None else None
    return found.id if found is not None and not found.trashed else None


def heads(library: Library) -> list[tuple[Spread, int | None, list[str]]]:
    """All spreads, the newest first, each with its design and the states of its variations."""
    states: dict[int, list[str]] = {}
    with library.reading() as session:
        rows = list(session.scalars(select(Spread).order_by(Spread.id.desc())))
        for spread, state in session.execute(select(Draw.spread_id, Draw.state)):
            states.setdefault(spread, []).append(state)
        return [(row, design_of(session, row), states.get(row.id, [])) for row in rows]


def spread(library: Library, id: int) -> tuple[Spread, int | None, list[Draw]]:
    """A spread, its design, and its variations by id; NotFound when there is none."""
    with library.reading() as session:
        row = spread_row(session, id)
        return row, design_of(session, row), list(session.scalars(select(Draw).where(Draw.spread_id == id).order_by(Draw.number)))


def mix_of(library: Library, draw: int) -> Mix:
    """What a variation is made of."""
    with library.reading() as session:
        mix = session.scalar(select(Draw.mix).where(Draw.id == draw))
    if mix is None:
        raise NotFound(f"There is no variation {draw}; it may have been drawn anew.")
    return Mix.model_validate(mix)


def judged(library: Library, spread: int) -> tuple[Judgements, int]:
    """What is said of the variations of a spread, and the revision of that."""
    with library.reading() as session:
        row = spread_row(session, spread)
        found = session.execute(select(Draw.id, Draw.state).where(Draw.spread_id == spread, Draw.state.in_(SAID))).all()
    return Judgements.model_validate({"states": dict(found)}), row.revision


def judge(library: Library, spread: int, wanted: Judgements, based_on: int | None = None) -> int:
    """Keep what is said of the variations of a spread; the new revision. What is neither kept nor dropped any more was heard.

    Raises
    ------
    NotFound
        When there is no such spread, or when it has no such variation.
    Conflict
        When it is not based on the revision that is kept.
    """
    with library.writing() as session:
        row = spread_row(session, spread)
        step_on(row, based_on, row.name)
        before = dict(session.execute(select(Draw.id, Draw.state).where(Draw.spread_id == spread)).all())
        foreign = sorted(set(wanted.states) - set(before))
        if foreign:
            raise NotFound(f"{row.name} has no variation {foreign[0]}; it may have been removed.")
        for id, state in before.items():
            after = wanted.states.get(id, "heard" if state in SAID else state)
            if after != state:
                session.execute(update(Draw).where(Draw.id == id).values(state=after))
        return row.revision


def heard(library: Library, draw: int) -> str:
    """Note that a variation was heard; its state, which stays when something was said of it."""
    with library.writing() as session:
        state = session.scalar(select(Draw.state).where(Draw.id == draw))
        if state is None:
            raise NotFound(f"There is no variation {draw}; it may have been drawn anew.")
        if state != "unheard":
            return state
        session.execute(update(Draw).where(Draw.id == draw).values(state="heard"))
        return "heard"
