"""What a library keeps beside its sounds: sets, saved searches, own fields, chains, projects, settings, and who uses what."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Node
from oskren.core.nodes.walk import hashes_in
from oskren.core.words.conditions import COMPARISONS, FIELDS
from oskren.store.describe.undoing import note, search_as_is, set_as_is
from oskren.store.library import Library
from oskren.store.tables import FieldRow, Project, SavedSearch, SetMember, Setting, Sound, SoundSet, Use, Watched

# ---- sets


def add_set(library: Library, name: str, sounds: Sequence[int] = (), actor: str = "") -> int:
    """Begin a set; its id."""
    with library.writing() as session:
        row = SoundSet(name=name.strip())
        session.add(row)
        session.flush()
        _fill(session, row.id, sounds)
        session.flush()
        note(session, f"the set {row.name}", {}, set_as_is(session, row.id), actor, "set")
    library.columns.touch_sets()
    return row.id


def _fill(session: Session, id: int, sounds: Sequence[int]) -> None:
    known = set(session.scalars(select(Sound.id).where(Sound.id.in_(sounds))))
    for missing in [one for one in sounds if one not in known]:
        raise NotFound(f"There is no sound {missing} in this library; it may have been removed.")
    session.execute(delete(SetMember).where(SetMember.set_id == id))
    session.add_all([SetMember(set_id=id, sound_id=sound, place=place) for place, sound in enumerate(dict.fromkeys(sounds))])


def set_members(library: Library, id: int) -> list[int]:
    """The sounds of a set in their order."""
    with library.reading() as session:
        if session.get(SoundSet, id) is None:
            raise NotFound(f"There is no set {id}; it may have been removed.")
        return list(session.scalars(select(SetMember.sound_id).where(SetMember.set_id == id).order_by(SetMember.place)))


def keep_set(library: Library, id: int, name: str | None = None, sounds: Sequence[int] | None = None, actor: str = "") -> None:
    """Rename a set, or give it other sounds or another order."""
    with library.writing() as session:
        row = session.get(SoundSet, id)
        if row is None:
            raise NotFound(f"There is no set {id}; it may have been removed.")
        before = set_as_is(session, id)
        if name is not None:
            row.name = name.strip()
        if sounds is not None:
            _fill(session, id, sounds)
        session.flush()
        after = set_as_is(session, id)
        if after != before:
            note(session, _set_said(before, after), before, after, actor, "set")
    library.columns.touch_sets()


def _set_said(before: dict[str, Any], after: dict[str, Any]) -> str:
    """What was done to a set, in words."""
    came = len(set(after["sounds"]) - set(before["sounds"]))
    went = len(set(before["sounds"]) - set(after["sounds"]))
    if before["name"] != after["name"]:
        return f"the name of the set {after['name']}"
    if came:
        return f"{came} {'sound' if came == 1 else 'sounds'} put on the set {after['name']}"
    if went:
        return f"{went} {'sound' if went == 1 else 'sounds'} taken off the set {after['name']}"
    return f"the order of the set {after['name']}"


def put_in_set(library: Library, id: int, sounds: Sequence[int], before: int | None = None, actor: str = "") -> list[int]:
    """Put sounds into a set, or move them in it: before a sound of it, or at its end. The order it has then."""
    held = [one for one in set_members(library, id) if one not in set(sounds)]
    at = held.index(before) if before in held else len(held)
    order = [*held[:at], *dict.fromkeys(sounds), *held[at:]]
    keep_set(library, id, sounds=order, actor=actor)
    return order


def sets(library: Library) -> list[tuple[int, str, int]]:
    """Every set: id, name, how many sounds."""
    with library.reading() as session:
        counts = dict(session.execute(select(SetMember.set_id, func.count()).group_by(SetMember.set_id)).all())
        return [(row.id, row.name, counts.get(row.id, 0)) for row in session.scalars(select(SoundSet).order_by(SoundSet.name))]


# ---- rows that are only kept by name


def keep_search(library: Library, name: str, asked: dict[str, Any]) -> int:
    """Keep a search by name; one of the same name is replaced."""
    with library.writing() as session:
        row = session.scalar(select(SavedSearch).where(SavedSearch.name == name.strip())) or SavedSearch(name=name.strip())
        row.asked = asked
        session.add(row)
        session.flush()
        return row.id


def forget(library: Library, table: type[SavedSearch] | type[SoundSet], id: int, actor: str = "") -> None:
    """Delete a saved search or a set; its sounds stay."""
    with library.writing() as session:
        row: SavedSearch | SoundSet | None = session.get(SoundSet, id) if table is SoundSet else session.get(SavedSearch, id)
        if row is None:
            raise NotFound(f"There is no such entry ({id}); it may have been removed already.")
        kind, is_now = ("set", set_as_is) if table is SoundSet else ("search", search_as_is)
        note(session, f"the {'set' if kind == 'set' else 'saved search'} {row.name} deleted", is_now(session, id), {}, actor, kind)
        session.delete(row)
    library.columns.touch_sets()


KINDS = ("text", "number", "date", "choice")


def add_field(library: Library, name: str, kind: str, options: Sequence[str] = ()) -> None:
    """Add a field of the user's own; a known one gets other choices."""
    name = name.strip()
    if kind not in KINDS or kind not in COMPARISONS:
        raise OskrenError(f"A field can hold {', '.join(KINDS)}; not '{kind}'.")
    if name.lower() in FIELDS or not name or any(letter in name for letter in '"$[]'):
        raise OskrenError(f"'{name}' cannot name a field of your own: it is taken, empty, or holds quotes or brackets.")
    chosen = [option.strip() for option in options if option.strip()]
    if kind == "choice" and not chosen:
        raise OskrenError(f"{name}: a choice needs at least one thing to choose; give them with commas between.")
    with library.writing() as session:
        row = session.get(FieldRow, name)
        if row is not None and row.kind != kind:
            raise OskrenError(f"There is a field called {name} already, and it holds {row.kind}.")
        session.merge(FieldRow(name=name, kind=kind, options=chosen))


def drop_field(library: Library, name: str) -> None:
    """Delete a field; what sounds held in it is kept with them and comes back with a field of that name."""
    with library.writing() as session:
        row = session.get(FieldRow, name)
        if row is None:
            raise NotFound(f"There is no field called '{name}'.")
        session.delete(row)


def fields(library: Library) -> list[tuple[str, str, list[str]]]:
    """Own fields: name, kind, choices."""
    with library.reading() as session:
        return [(row.name, row.kind, list(row.options)) for row in session.scalars(select(FieldRow).order_by(FieldRow.name))]


# ---- settings


def setting(library: Library, name: str) -> dict[str, Any]:
    """A setting; empty when it was never set."""
    with library.reading() as session:
        row = session.get(Setting, name)
        return dict(row.value) if row is not None else {}


def keep_setting(library: Library, name: str, value: dict[str, Any]) -> None:
    with library.writing() as session:
        session.merge(Setting(name=name, value=value))


# ---- projects and uses


def projects(library: Library) -> list[Project]:
    """Projects of a library, the oldest first."""
    with library.reading() as session:
        return list(session.scalars(select(Project).order_by(Project.id)))


def add_project(library: Library, name: str) -> Project:
    """Begin a project."""
    with library.writing() as session:
        if session.scalar(select(Project).where(Project.name == name.strip())) is not None:
            raise OskrenError(f"There is a project called {name.strip()} already; choose another name.")
        row = Project(name=name.strip())
        session.add(row)
        session.flush()
        return row


def set_frame_rate(library: Library, id: int, frame_rate: str) -> Project:
    """Count the frames of a project's picture at another rate, one of ``core.timecode.FRAME_RATES``."""
    with library.writing() as session:
        row = session.get(Project, id)
        if row is None:
            raise NotFound(f"There is no project number {id} in this library.")
        row.frame_rate = frame_rate
        return row


def note_uses(session: Session, what: str, item: int, nodes: Iterable[Node], project: int) -> None:
    """Note which nodes something is made of, so that sounds know where they are used; of what was noted before only what differs is written."""
    its = (Use.what == what, Use.item == item)
    digests = {digest for node in nodes for digest in hashes_in(node)}
    before = {use.digest: use.project for use in session.execute(select(Use.digest, Use.project).where(*its))}
    if gone := sorted(before.keys() - digests):
        session.execute(delete(Use).where(*its, Use.digest.in_(gone)))
    if any(where != project for where in before.values()):
        session.execute(update(Use).where(*its).values(project=project))
    if fresh := sorted(digests - before.keys()):
        session.execute(insert(Use), [{"digest": digest, "what": what, "item": item, "project": project} for digest in fresh])


def searches(library: Library) -> list[SavedSearch]:
    """Saved searches by name."""
    with library.reading() as session:
        return list(session.scalars(select(SavedSearch).order_by(SavedSearch.name)))


def watched(library: Library) -> list[Watched]:
    """Watched folders by path."""
    with library.reading() as session:
        return list(session.scalars(select(Watched).order_by(Watched.path)))
