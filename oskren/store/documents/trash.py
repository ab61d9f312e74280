"""What people make and put away, with all that is its own: designs, scenes, versions of both, reels, saved chains, recipes, ready sheets."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound
from oskren.store.describe.keeping import note_uses
from oskren.store.documents.revisions import put_on, step_on, take_off
from oskren.store.library import Library
from oskren.store.tables import Design, Document, ReadySheetRow, RecipeRow, ReelRow, SavedChain, SceneRow, SceneVersion, Sound, Use, Version, WantedAnswer, now

Kind = Literal["design", "version", "reel", "saved_chain", "recipe", "ready_sheet", "scene", "scene_version"]
_TABLES: dict[Kind, type[Document]] = {
    "design": Design,
    "version": Version,
    "reel": ReelRow,
    "saved_chain": SavedChain,
    "recipe": RecipeRow,
    "ready_sheet": ReadySheetRow,
    "scene": SceneRow,
    "scene_version": SceneVersion,
}
_CALLED: dict[Kind, str] = {
    "design": "design",
    "version": "version",
    "reel": "review reel",
    "saved_chain": "saved chain",
    "recipe": "recipe",
    "ready_sheet": "ready sheet",
    "scene": "scene",
    "scene_version": "version",
}
LONGEST_NAME = 200


@dataclass(frozen=True)
class PutAway:
    """A document in the trash; ``project`` is None for what belongs to no project, ``sheets`` names the projects whose sheet it was on."""

    kind: Kind
    id: int
    name: str
    at: str
    project: int | None = None
    sheets: tuple[int, ...] = ()


def _row(session: Session, kind: Kind, id: int, away: bool = False) -> Document:
    """The row of a document in use, or in the trash; NotFound when it is not there."""
    row = session.get(_TABLES[kind], id)
    if row is None or (row.trashed is not None) != away:
        raise NotFound(f"There is no {_CALLED[kind]} {id}{' in the trash' if away else ''}; it may have been {'taken back' if away else 'removed'}.")
    return row


def _told(kind: Kind, row: Document) -> PutAway:
    mended = row.trashed or {}
    return PutAway(kind, row.id, row.name, mended.get("at", ""), getattr(row, "project", None), tuple(mended.get("sheets", ())))


def put_away(library: Library, kind: Kind, id: int) -> PutAway:
    """Put a document into the trash.

    A design is taken off the sheets it is on with its versions; sounds that follow a saved chain go on with its steps as their own. It is remembered, and
    mended by :func:`bring_back`.
    """
    with library.writing() as session:
        row = _row(session, kind, id)
        away: dict[str, Any] = {"at": now()}
        if kind == "design":
            away["sheets"] = take_off(session, "designs", {id})
            of_it = session.scalars(select(Version.id).where(Version.design_id == id))
            away["versions"] = {str(one): projects for one in of_it if (projects := take_off(session, "versions", {one}))}
        if kind == "version":
            away["sheets"] = take_off(session, "versions", {id})
        if kind == "saved_chain":
            away["followed"] = list(session.scalars(select(Sound.id).where(Sound.follows == id)))
            session.execute(update(Sound).where(Sound.follows == id).values(follows=None))
        row.trashed = away
        told = _told(kind, row)
    library.columns.touch(*away.get("followed", ()))
    library.columns.touch_uses()
    return told


def bring_back(library: Library, kind: Kind, id: int) -> PutAway:
    """Take a document out of the trash: a design onto its sheets again, a chain to the sounds that still have its steps and follow none."""
    with library.writing() as session:
        row = _row(session, kind, id, away=True)
        told, away = _told(kind, row), row.trashed or {}
        row.trashed = None
        if isinstance(row, Version):
            _row(session, "design", row.design_id)
        if isinstance(row, SceneVersion):
            _row(session, "scene", row.scene_id)
        for project in told.sheets:
            put_on(session, project, f"{kind}s", id)
        for one, projects in away.get("versions", {}).items():
            for project in projects:
                put_on(session, project, "versions", int(one))
        if isinstance(row, SavedChain):
            for sound in session.scalars(select(Sound).where(Sound.id.in_(away.get("followed", [])), Sound.follows.is_(None))):
                sound.follows = id if sound.chain == row.chain else None
    library.columns.touch(*away.get("followed", ()))
    library.columns.touch_uses()
    return told


def in_trash(library: Library) -> list[PutAway]:
    """Documents in the trash, what was put there last first."""
    found = []
    with library.reading() as session:
        for kind, table in _TABLES.items():
            found += [_told(kind, row) for row in session.scalars(select(table).where(table.trashed.is_not(None)))]
    return sorted(found, key=lambda one: (one.at, one.id), reverse=True)


def rename(library: Library, kind: Kind, id: int, name: str) -> str:
    """Give a document another name; an empty one leaves it as it is. The name it has then."""
    with library.writing() as session:
        row = _row(session, kind, id)
        row.name = name.strip()[:LONGEST_NAME] or row.name
        if isinstance(row, Design | ReelRow | SceneRow):
            step_on(row, None, row.name)
        return row.name


def duplicate(library: Library, kind: Literal["design", "reel", "scene"], id: int) -> int:
    """Another document like one, beside it in its project, with a name of its own; the id it has. Versions stay with the first."""
    with library.writing() as session:
        row = _row(session, kind, id)
        table = _TABLES[kind]
        name = _free(row.name, set(session.scalars(select(table.name).where(table.trashed.is_(None)))))
        copy: Design | ReelRow | SceneRow
        if isinstance(row, Design):
            copy = Design(name=name, mix=row.mix, project=row.project)
        elif isinstance(row, SceneRow):
            copy = SceneRow(name=name, film_id=row.film_id, scene=row.scene, project=row.project)
        else:
            assert isinstance(row, ReelRow)
            copy = ReelRow(name=name, reel=row.reel, project=row.project)
        session.add(copy)
        session.flush()
        for use in session.scalars(select(Use).where(Use.what == kind, Use.item == id)).all():
            session.add(Use(digest=use.digest, what=kind, item=copy.id, project=copy.project))
        made = copy.id
    library.columns.touch_uses()
    return made


def _free(name: str, taken: set[str]) -> str:
    """What a copy is called: the name with "copy" behind it, and a number when there is such a copy already."""
    called, number = f"{name} copy", 2
    while called in taken:
        called, number = f"{name} copy {number}", number + 1
    return called


def empty(library: Library) -> int:
    """Delete the documents in the trash for good; how many went."""
    gone = 0
    with library.writing() as session:
        for kind, table in _TABLES.items():
            for row in session.scalars(select(table).where(table.trashed.is_not(None))).all():
                note_uses(session, kind, row.id, [], 1)
                if kind == "design":
                    session.execute(delete(WantedAnswer).where(WantedAnswer.kind == "design", WantedAnswer.item == row.id))
                session.delete(row)
                gone += 1
    library.columns.touch_uses()
    return gone
