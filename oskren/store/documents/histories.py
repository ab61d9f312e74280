"""What can be undone and done again in an editor, kept with the library: it is there after a reload and after a week."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from oskren.core.errors import Conflict
from oskren.store.library import Library
from oskren.store.tables import History

MOST_STEPS = 200
MOST_BYTES = 4 << 20
"""Of one history; the oldest steps go first."""

Step = dict[str, Any]
"""One step: ``back`` and ``forth``, each a JSON Patch (RFC 6902) of the document."""


def history(library: Library, what: str, item: int) -> tuple[int, list[Step], list[Step]]:
    """Version, steps that can be undone (the last one first to go), and steps that can be done again."""
    with library.reading() as session:
        row = session.get(History, (what, item))
        return (0, [], []) if row is None else (row.version, list(row.past), list(row.future))


def keep(
    library: Library, what: str, item: int, based_on: int | None, past: Sequence[Step], future: Sequence[Step], left: tuple[int, int, int]
) -> tuple[int, int, int]:
    """Keep what changed of a history; its new version, and how many steps it has to undo and to do again.

    Parameters
    ----------
    based_on : int or None
        The version the change builds on; None writes the whole anew.
    past, future : sequences of Step
        Steps that come behind those that stay.
    left : (int, int, int)
        How many of the oldest undo steps go, how many after them stay, and how many of the redo steps stay.

    Raises
    ------
    Conflict
        When another window has kept another version meanwhile.
    """
    with library.writing() as session:
        row = session.get(History, (what, item))
        if row is None:
            row = History(what=what, item=item, version=0, past=[], future=[])
            session.add(row)
        if based_on is not None and based_on != row.version:
            raise Conflict("The steps that can be undone were kept by another window meanwhile.")
        first, stay, again = left if based_on is not None else (0, 0, 0)
        row.past = _fitting([*row.past[first : first + stay], *past])
        row.future = _fitting([*row.future[:again], *future])
        row.version += 1
        return row.version, len(row.past), len(row.future)


def _fitting(steps: list[Step]) -> list[Step]:
    """The newest steps that fit into the bounds."""
    found: list[Step] = []
    size = 0
    for step in reversed(steps[-MOST_STEPS:]):
        size += len(json.dumps(step))
        if size > MOST_BYTES:
            break
        found.append(step)
    return found[::-1]
