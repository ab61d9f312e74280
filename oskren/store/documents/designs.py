"""Designs: every save is one transaction, so that a design is always one of the states that were kept."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from sqlalchemy import select
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix, check_chain
from oskren.core.nodes.walk import steps_of
from oskren.core.stack.swap import designs_in
from oskren.store.describe.keeping import note_uses
from oskren.store.documents.revisions import step_on
from oskren.store.library import Library, node_of
from oskren.store.tables import Design, PrintRow, Sound

MOST_LAYERS = 500


def _row(session: Session, id: int) -> Design:
    row = session.get(Design, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no design {id}; it may have been removed.")
    return row


def design(library: Library, id: int) -> tuple[Design, Mix]:
    """A design and its mix."""
    with library.reading() as session:
        row = _row(session, id)
    return row, Mix.model_validate(row.mix)


def designs(library: Library) -> list[Design]:
    """All designs, the newest first."""
    with library.reading() as session:
        return list(session.scalars(select(Design).where(Design.trashed.is_(None)).order_by(Design.id.desc())))


def add(library: Library, name: str, mix: Mix, project: int = 1) -> Design:
    """Begin a design."""
    check_chain(steps_of(mix))
    with library.writing() as session:
        _refuse_cycles(session, 0, mix)
        row = Design(name=name, mix=mix.model_dump(mode="json"), project=project)
        session.add(row)
        session.flush()
        note_uses(session, "design", row.id, [mix], row.project)
    library.columns.touch_uses()
    return row


def save(library: Library, id: int, name: str, mix: Mix, based_on: int | None = None) -> Design:
    """Keep a design as it is now; Conflict when it is not based on the revision that is kept."""
    with library.writing() as session:
        row = _row(session, id)
        step_on(row, based_on, row.name)
        row.name = name
        _put(session, row, Mix.model_validate(row.mix), mix)
    library.columns.touch_uses()
    return row


def change(library: Library, id: int, edit: Callable[[Mix], Mix]) -> Design:
    """Change a design as it is now: read, edited and kept in one transaction, so that nobody's save comes in between."""
    with library.writing() as session:
        row = _row(session, id)
        before = Mix.model_validate(row.mix)
        step_on(row, None, row.name)
        _put(session, row, before, edit(before))
    library.columns.touch_uses()
    return row


def _put(session: Session, row: Design, before: Mix, mix: Mix) -> None:
    """Put a mix in place of the one a design had; OskrenError when it cannot be a design."""
    if len(mix.members) > MOST_LAYERS:
        raise OskrenError(f"A design holds {MOST_LAYERS} layers at most; print some of them and use the print.")
    check_chain(steps_of(mix), steps_of(before))
    _refuse_cycles(session, row.id, mix)
    row.mix = mix.model_dump(mode="json")
    note_uses(session, "design", row.id, [mix], row.project)


def _refuse_cycles(session: Session, id: int, mix: Mix) -> None:
    """A design may not hold itself, nor one that holds it now, which would be so as soon as the newer one were taken."""
    todo, seen = designs_in(mix), set[int]()
    while todo:
        one = todo.pop()
        if one == id:
            name = _row(session, id).name
            raise OskrenError(f"{name} cannot be a layer of itself, not even inside another design; print it, and use the print as a layer.")
        if one not in seen:
            seen.add(one)
            held = session.get(Design, one)
            if held is not None:
                todo |= designs_in(Mix.model_validate(held.mix)) - seen


# ---- what designs were made with, and what was made of them


def hashes_now(library: Library, kind: str, ids: Iterable[int]) -> dict[int, str]:
    """Hash of what sounds or designs are now, by id; those that are gone are left out."""
    with library.reading() as session:
        if kind == "sound":
            sounds = session.scalars(select(Sound).where(Sound.id.in_(list(ids)), Sound.trashed.is_(None)))
            return {sound.id: node_hash(node_of(sound)) for sound in sounds}
        rows = session.scalars(select(Design).where(Design.id.in_(list(ids)), Design.trashed.is_(None)))
        return {row.id: node_hash(Mix.model_validate(row.mix)) for row in rows}


def note_print(library: Library, sound: int, id: int, mix: Mix) -> None:
    """Note that a sound is the print of a design, as the design is in a mix."""
    with library.writing() as session:
        _row(session, id)
        session.merge(PrintRow(sound_id=sound, design_id=id, digest=node_hash(mix)))


def prints(library: Library) -> list[tuple[int, str, int, str]]:
    """Prints that are in use: sound, its name, the design it was made of, and the hash of what was printed."""
    with library.reading() as session:
        rows = session.execute(
            select(PrintRow.sound_id, Sound.name, PrintRow.design_id, PrintRow.digest).join(Sound, Sound.id == PrintRow.sound_id).where(Sound.trashed.is_(None))
        ).all()
    return [(int(sound), str(name), int(made_of), str(key)) for sound, name, made_of, key in rows]
