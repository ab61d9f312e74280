"""Spreads as they are kept, with their variations and what is said of those."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Protocol, get_args

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix
from oskren.core.vary.judging import Judgement, Judgements
from oskren.core.vary.recipe import Recipe, draw
from oskren.store.documents.revisions import step_on, take_off
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
        return said_of(session.execute(_SAID.where(Draw.spread_id == spread)).all()), row.revision


_SAID = select(Draw.id, Draw.number, Draw.state)
"""What is said of variations, without what they are made of, which is long."""


class Saying(Protocol):
    """A variation by its number, and what is said of it."""

    id: Any
    number: Any
    state: Any


def said_of(draws: Iterable[Saying]) -> Judgements:
    """What is said of the variations of a spread, and by which number each is drawn."""
    states: dict[int, str] = {}
    numbers: dict[int, int] = {}
    for one in draws:
        numbers[one.id] = one.number
        if one.state in SAID:
            states[one.id] = one.state
    return Judgements.model_validate({"states": states, "numbers": numbers})


def judge(library: Library, spread: int, wanted: Judgements, based_on: int | None = None) -> tuple[int, bool]:
    """Keep what is said of the variations of a spread; the new revision, and whether some must be rendered, since they are drawn by another number.

    What is neither kept nor dropped any more was heard.

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
        draws = {one.id: one for one in session.execute(_SAID.where(Draw.spread_id == spread))}
        foreign = sorted({*wanted.states, *wanted.numbers} - set(draws))
        if foreign:
            raise NotFound(f"{row.name} has no variation {foreign[0]}; it may have been removed.")
        instead = {entry["number"]: entry["by"] for entry in row.facts.get("replaced", ())}
        numbers = {id: _in_place_of(wanted.numbers.get(id, one.number), instead) for id, one in draws.items()}
        anew = [id for id, one in draws.items() if numbers[id] != one.number]
        if anew:
            mix, recipe = Mix.model_validate(row.mix), Recipe.model_validate(row.recipe)
        for id in anew:
            draw_anew(session.get_one(Draw, id), draw(mix, recipe, row.seed, numbers[id]), numbers[id])
        session.flush()
        for id, one in draws.items():
            before = "unheard" if id in anew else one.state
            after = wanted.states.get(id, "heard" if before in SAID else before)
            if after != before:
                session.execute(update(Draw).where(Draw.id == id).values(state=after))
        return row.revision, bool(anew)


def _in_place_of(number: int, instead: dict[int, int]) -> int:
    """The number that is drawn where one was refused."""
    while number in instead:
        number = instead[number]
    return number


def next_number(spread: Spread, numbers: Iterable[int]) -> int:
    """The next number of a spread that was never tried."""
    tried: list[int] = [entry["by"] for entry in spread.facts.get("replaced", ())]
    highest: int = max([*numbers, *tried, spread.facts.get("highest", 0)])
    return highest + 1


def draw_anew(row: Draw, fresh: Mix, number: int) -> None:
    """Give a row another draw, neither heard nor rendered yet."""
    row.number, row.digest, row.mix, row.state, row.facts, row.outline = number, node_hash(fresh), fresh.model_dump(mode="json"), "unheard", {}, b""


def redraw_dropped(library: Library, spread: int) -> tuple[int, list[int]]:
    """Give every dropped draw a new number, so that it is drawn anew; how many, and the projects whose sheet some were on."""
    with library.writing() as session:
        row = spread_row(session, spread)
        step_on(row, None, row.name)
        mix, recipe = Mix.model_validate(row.mix), Recipe.model_validate(row.recipe)
        draws = list(session.scalars(select(Draw).where(Draw.spread_id == spread).order_by(Draw.number)))
        dropped = [one for one in draws if one.state == "dropped"]
        for one in dropped:
            number = next_number(row, [other.number for other in draws])
            draw_anew(one, draw(mix, recipe, row.seed, number), number)
            # a number that is taken back is not given a second time
            row.facts = {**row.facts, "highest": number}
        return len(dropped), take_off(session, "draws", {one.id for one in dropped})


def kept_draws(library: Library, project: int) -> list[tuple[int, str, int]]:
    """Variations of a project that were kept: id, name of the spread, number."""
    with library.reading() as session:
        query = select(Draw.id, Spread.name, Draw.number).join(Spread, Spread.id == Draw.spread_id).where(Draw.state == "kept", Spread.project == project)
        return [(id, name, number) for id, name, number in session.execute(query.order_by(Spread.id.desc(), Draw.number))]


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
