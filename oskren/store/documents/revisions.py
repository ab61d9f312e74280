"""Revisions: every save of what people edit says what it is based on; one that is based on an older state is refused."""

from __future__ import annotations

import threading
from collections import defaultdict
from typing import Any, Protocol

from sqlalchemy import select
from sqlalchemy.orm import Session

from oskren.core.errors import Conflict
from oskren.store.library import Library
from oskren.store.tables import Draft


class Revised(Protocol):
    """A row with a revision."""

    revision: Any


def step_on(row: Revised, based_on: int | None, what: str) -> None:
    """Count a row's revision up; Conflict when the change is based on another one than the row has. None asks for no such check."""
    if based_on is not None and based_on != (row.revision or 0):
        raise Conflict(f"{what} was changed somewhere else since this page read it; its present state is shown now.")
    row.revision = (row.revision or 0) + 1


_turns: defaultdict[tuple[str, int], threading.Lock] = defaultdict(threading.Lock)


def turn(library: Library, project: int) -> threading.Lock:
    """Held while a project's draft is read, changed and kept."""
    return _turns[(str(library.folder), project)]


def draft(library: Library, project: int, name: str) -> tuple[dict[str, Any], int]:
    """A draft and its revision; empty and 0 when there is none yet."""
    with library.reading() as session:
        row = session.get(Draft, (project, name))
        return (dict(row.body), row.revision) if row is not None else ({}, 0)


def keep_draft(library: Library, project: int, name: str, body: dict[str, Any], based_on: int | None) -> int:
    """Keep a draft; its new revision."""
    with library.writing() as session:
        row = _draft(session, project, name)
        step_on(row, based_on, "This")
        row.body = body
        return row.revision


def take_off(session: Session, what: str, ids: set[int]) -> list[int]:
    """Take what is there no more, or is something else now, off every sheet; the projects whose sheet has changed."""
    projects = []
    for row in session.scalars(select(Draft).where(Draft.name == "sheet")):
        before = row.body.get(what, [])
        after = [one for one in before if one not in ids]
        if len(after) != len(before):
            step_on(row, None, "The sheet")
            row.body = {**row.body, what: after}
            projects.append(row.project)
    return projects


def put_on(session: Session, project: int, what: str, id: int) -> None:
    """Put something on a project's sheet again, behind what is on it."""
    row = _draft(session, project, "sheet")
    if id not in row.body.get(what, []):
        step_on(row, None, "The sheet")
        row.body = {**row.body, what: [*row.body.get(what, []), id]}


def _draft(session: Session, project: int, name: str) -> Draft:
    row = session.get(Draft, (project, name))
    if row is None:
        row = Draft(project=project, name=name, body={}, revision=0)
        session.add(row)
    return row
