"""Undo and redo of what is done in a library, by whoever did it: descriptions, sets, categories, saved searches, excerpts, deletions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound
from oskren.store.library import Library
from oskren.store.search.words import keep_in_step
from oskren.store.tables import CategoryRow, Edit, Lesson, SavedSearch, SetMember, Sound, SoundSet, now

KEPT_EDITS = 200
"""Edits kept of every page."""


def note(session: Session, title: str, before: Mapping[str, Any], after: Mapping[str, Any], actor: str, kind: str = "sounds") -> int:
    """Keep what was done, so that its page can take it back; what it had taken back before cannot be done again. The id of the edit."""
    session.execute(delete(Edit).where(Edit.undone, Edit.actor == actor))
    row = Edit(title=title, before=dict(before), after=dict(after), actor=actor, kind=kind)
    session.add(row)
    session.flush()
    oldest = session.scalar(select(Edit.id).where(Edit.actor == actor).order_by(Edit.id.desc()).offset(KEPT_EDITS).limit(1))
    if oldest is not None:
        session.execute(delete(Edit).where(Edit.id <= oldest, Edit.actor == actor))
    return row.id


def note_made(library: Library, ids: list[int], title: str, actor: str) -> None:
    """Keep that sounds were made: undo puts them into the trash."""
    with library.writing() as session:
        note(session, title, {str(one): {"trashed": now()} for one in ids}, {str(one): {"trashed": None} for one in ids}, actor)


def take_back(library: Library, actor: str = "", again: bool = False) -> str:
    """Undo the last thing a page did (or do the last undone one again); what it was, in words.

    What somebody else has changed since stays as they left it, and is named.

    Raises
    ------
    OskrenError
        When this page did nothing that can be taken back.
    """
    with library.writing() as session:
        order = Edit.id.asc() if again else Edit.id.desc()
        row = session.scalar(select(Edit).where(Edit.undone == again, Edit.actor == actor).order_by(order).limit(1))
        if row is None:
            raise NotFound("There is nothing to do again here." if again else "There is nothing to undo here.")
        wanted, present = (row.after, row.before) if again else (row.before, row.after)
        touched: set[int] = set()
        stays: list[str] = []
        if row.kind == "set":
            _put_set(session, wanted, int(row.after.get("id") or row.before["id"]))
        elif row.kind == "search":
            _put_search(session, wanted, int(row.after.get("id") or row.before["id"]))
        else:
            if row.kind == "tree":
                _put_tree(session, wanted)
            values, were = (wanted["sounds"], present["sounds"]) if row.kind == "tree" else (wanted, present)
            touched, stays = _put_sounds(session, values, were)
        row.undone = not again
        title = row.title
    library.columns.touch(*touched)
    library.columns.touch_sets()
    return title + (f" ({', '.join(stays[:3])}: changed by somebody else since, left as it is)" if stays else "")


def _as_called_now(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values of a sound as an edit keeps them, by the names of today: a node's digest was called key in edits of earlier versions."""
    return {"digest" if name == "key" else name: value for name, value in values.items()}


def _put_sounds(session: Session, values: Mapping[str, dict[str, Any]], were: Mapping[str, dict[str, Any]]) -> tuple[set[int], list[str]]:
    ids, stays = [int(id) for id in values], []
    for at in range(0, len(ids), 500):
        for sound in session.scalars(select(Sound).where(Sound.id.in_(ids[at : at + 500]))):
            own, left = _as_called_now(were.get(str(sound.id), {})), False
            for name, value in _as_called_now(values[str(sound.id)]).items():
                present = getattr(sound, name)
                if name not in own or present == own[name] or (name == "trashed" and bool(present) == bool(own[name])):
                    setattr(sound, name, value)
                else:
                    left = True
            if "chain" in values[str(sound.id)]:
                sound.revision = (sound.revision or 0) + 1
            if left:
                stays.append(sound.name)
            keep_in_step(session, sound)
    return set(ids), stays


# ---- sets and saved searches


def set_as_is(session: Session, id: int) -> dict[str, Any]:
    """A set as it is, to be put back; empty when there is none."""
    row = session.get(SoundSet, id)
    if row is None:
        return {}
    members = session.scalars(select(SetMember.sound_id).where(SetMember.set_id == id).order_by(SetMember.place))
    return {"id": id, "name": row.name, "sounds": list(members)}


def _put_set(session: Session, wanted: dict[str, Any], id: int) -> None:
    session.execute(delete(SetMember).where(SetMember.set_id == id))
    row = session.get(SoundSet, id)
    if not wanted:
        if row is not None:
            session.delete(row)
        return
    if row is None:
        row = SoundSet(id=id, name=wanted["name"])
        session.add(row)
    row.name = wanted["name"]
    session.flush()
    there = set(session.scalars(select(Sound.id).where(Sound.id.in_(wanted["sounds"]))))
    session.add_all([SetMember(set_id=id, sound_id=one, place=place) for place, one in enumerate(wanted["sounds"]) if one in there])


def search_as_is(session: Session, id: int) -> dict[str, Any]:
    """A saved search as it is, to be put back; empty when there is none."""
    row = session.get(SavedSearch, id)
    return {} if row is None else {"id": id, "name": row.name, "asked": row.asked}


def _put_search(session: Session, wanted: dict[str, Any], id: int) -> None:
    row = session.get(SavedSearch, id)
    if not wanted and row is not None:
        session.delete(row)
    elif wanted and row is None:
        session.add(SavedSearch(id=id, name=wanted["name"], asked=wanted["asked"]))
    elif wanted and row is not None:
        row.name, row.asked = wanted["name"], wanted["asked"]


# ---- categories


def tree_as_is(session: Session, ids: set[int] | None = None) -> dict[str, Any]:
    """The tree of categories, what corrections taught, and the categories of sounds, to be put back."""
    sounds = session.scalars(select(Sound).where(Sound.id.in_(ids))) if ids else ()
    return {
        "rows": [[row.path, row.code, row.words] for row in session.scalars(select(CategoryRow))],
        "lessons": [[row.word, row.category, row.count] for row in session.scalars(select(Lesson))],
        "sounds": {str(sound.id): {"category": sound.category, "category_sure": sound.category_sure} for sound in sounds},
    }


def _put_tree(session: Session, wanted: dict[str, Any]) -> None:
    session.execute(delete(CategoryRow))
    session.execute(delete(Lesson))
    session.flush()
    for held in list(session):
        if isinstance(held, CategoryRow | Lesson):
            session.expunge(held)
    session.add_all([CategoryRow(path=path, code=code, words=words) for path, code, words in wanted["rows"]])
    session.add_all([Lesson(word=word, category=category, count=count) for word, category, count in wanted["lessons"]])
    session.flush()
