"""The wanted list of a project: what is needed, what answers it, and what the library already has for it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.words import wanting
from oskren.core.words.wanting import Entry, checked_state, content_words, fit
from oskren.store.describe.tree import vocabulary
from oskren.store.library import Library
from oskren.store.tables import Design, Sound, WantedAnswer, WantedSound

CANDIDATES = 400
LEAST_FIT = 0.3
"""A sound that fits less is not suggested: with two words wanted, one of them must be in its name."""

SHOWS = {"sound": "found", "take": "recorded", "design": "designed"}
"""The state an entry is moved on to by what answers it; it never goes back by itself."""


@dataclass
class Answer:
    """What answers an entry: a sound or a design."""

    kind: str
    item: int
    name: str


@dataclass
class Kept:
    """An entry with its id and its answers."""

    id: int
    entry: Entry
    created: str
    answers: list[Answer] = field(default_factory=list)


def _row(session: Session, id: int) -> WantedSound:
    row = session.get(WantedSound, id)
    if row is None:
        raise NotFound(f"There is no entry {id} on the wanted list; it may have been removed.")
    return row


def listed(library: Library, project: int) -> list[Kept]:
    """The wanted list of a project: most important first, then in the order it was written."""
    with library.reading() as session:
        rows = session.scalars(select(WantedSound).where(WantedSound.project == project).order_by(WantedSound.priority, WantedSound.id)).all()
        answers: dict[int, list[Answer]] = {}
        for kind, table in (("sound", Sound), ("design", Design)):
            query = (
                select(WantedAnswer.wanted_id, WantedAnswer.item, table.name)
                .join(table, table.id == WantedAnswer.item)
                .join(WantedSound, WantedSound.id == WantedAnswer.wanted_id)
                .where(WantedAnswer.kind == kind, WantedSound.project == project, table.trashed.is_(None))
                .order_by(WantedAnswer.item)
            )
            for id, item, name in session.execute(query):
                answers.setdefault(id, []).append(Answer(kind, item, name))
    return [Kept(row.id, _entry(row), row.created, answers.get(row.id, [])) for row in rows]


def _entry(row: WantedSound) -> Entry:
    return Entry(what=row.what, how_many=row.how_many, priority=row.priority, state=row.state, notes=row.notes)


def add(library: Library, project: int, entries: Sequence[Entry]) -> list[int]:
    """Put entries on a project's wanted list; their ids. An entry of the same words is brought up to date instead."""
    with library.writing() as session:
        known = {row.what.casefold(): row for row in session.scalars(select(WantedSound).where(WantedSound.project == project))}
        rows = []
        for entry in entries:
            values = {**entry.model_dump(), "what": entry.what.strip(), "state": checked_state(entry.state)}
            if not values["what"]:
                raise OskrenError("Say what is wanted, in a few words.")
            row = known.get(values["what"].casefold())
            if row is None:
                row = WantedSound(project=project, **values)
                session.add(row)
                known[row.what.casefold()] = row
            else:
                for name, value in values.items():
                    setattr(row, name, value)
            rows.append(row)
        session.flush()
        return [row.id for row in rows]


def change(library: Library, id: int, values: dict[str, Any]) -> None:
    """Change fields of an entry."""
    with library.writing() as session:
        row = _row(session, id)
        entry = Entry.model_validate({**_entry(row).model_dump(), **values})
        for name, value in {**entry.model_dump(), "what": entry.what.strip() or row.what, "state": checked_state(entry.state)}.items():
            setattr(row, name, value)


def remove(library: Library, id: int) -> None:
    """Take an entry off the list; its answers stay in the library."""
    with library.writing() as session:
        session.delete(_row(session, id))


def answer(library: Library, id: int, kind: str, items: Sequence[int], *, recorded: bool = False) -> None:
    """Link sounds or designs to an entry and move its state on: found, recorded or designed."""
    table: Any = {"sound": Sound, "design": Design}[kind]
    with library.writing() as session:
        row = _row(session, id)
        there = set(session.scalars(select(table.id).where(table.id.in_(items))))
        for item in items:
            if item not in there:
                raise NotFound(f"There is no {kind} {item} in this library; it may have been removed.")
            session.merge(WantedAnswer(wanted_id=id, kind=kind, item=item))
        state = SHOWS["take" if recorded else kind]
        if items and wanting.STATES.index(state) > wanting.STATES.index(row.state):
            row.state = state


def unlink(library: Library, id: int, kind: str, item: int) -> None:
    """Take an answer from an entry."""
    with library.writing() as session:
        _row(session, id)
        session.execute(delete(WantedAnswer).where(WantedAnswer.wanted_id == id, WantedAnswer.kind == kind, WantedAnswer.item == item))


def progress(library: Library, project: int) -> dict[str, int]:
    """How many entries stand in each state."""
    with library.reading() as session:
        counts = dict(session.execute(select(WantedSound.state, func.count()).where(WantedSound.project == project).group_by(WantedSound.state)).all())
    return {state: counts.get(state, 0) for state in wanting.STATES}


def search_text(what: str) -> str:
    """The words of an entry as a search."""
    return " ".join(content_words(what))


def suggest(library: Library, id: int, limit: int = 6) -> list[tuple[int, float]]:
    """Sounds of the library that may answer an entry, best first, each with how well it fits (0..1); what is linked already is left out."""
    with library.reading() as session:
        row = _row(session, id)
        linked = set(session.scalars(select(WantedAnswer.item).where(WantedAnswer.wanted_id == id, WantedAnswer.kind == "sound")))
        wanted = content_words(row.what)
        if not wanted:
            return []
        category = vocabulary(library).propose(row.what).category
        words = [re.sub(r"\W", "", word) for word in wanted]
        expression = " OR ".join(f'"{word}"*' for word in words if word)
        matching = text("SELECT rowid FROM sound_words WHERE sound_words MATCH :m ORDER BY rank LIMIT :n")
        ids = set(session.execute(matching, {"m": expression, "n": CANDIDATES}).scalars())
        if category:
            query = select(Sound.id).where((Sound.category == category) | Sound.category.startswith(category.split("/")[0] + "/")).limit(CANDIDATES)
            ids |= set(session.scalars(query))
        found = []
        for sound in session.scalars(select(Sound).where(Sound.id.in_(ids - linked), Sound.trashed.is_(None), Sound.missing.is_(False))):
            alike = bool(category) and (sound.category == category or sound.category.split("/")[0] == category)
            said = content_words(f"{sound.category} {sound.tags} {sound.notes}")
            how = fit(wanted, content_words(sound.name), said, alike, sound.rating)
            if how >= LEAST_FIT:
                found.append((sound.id, round(how, 3)))
    return sorted(found, key=lambda one: (-one[1], one[0]))[:limit]


def export_csv(library: Library, project: int) -> str:
    """The list as CSV."""
    return wanting.write_csv((kept.entry, [one.name for one in kept.answers]) for kept in listed(library, project))


def import_csv(library: Library, project: int, table: str) -> list[int]:
    """Put a CSV's entries on the list; their ids."""
    return add(library, project, wanting.read_csv(table))
