"""Counts of a library, and what its words find in all of it."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from sqlalchemy import func, select

from oskren.store.library import Library
from oskren.store.search.asking import Asked
from oskren.store.tables import Design, SceneRow, Shipment, SlicePlan, Sound, Spread

MOST_SOUNDS, MOST_DESIGNS = 8, 5


class Counts(BaseModel):
    """One count for every stage."""

    gather: int
    mend: int
    stack: int
    vary: int
    slice: int
    ship: int
    picture: int


def stages(library: Library) -> Counts:
    """What each stage counts: sounds, mended sounds, designs, spreads, plans, shipments, cues of scenes."""
    with library.reading() as session:

        def count(column: Any, *where: Any) -> int:
            return session.scalar(select(func.count(column)).where(*where)) or 0

        return Counts(
            gather=count(Sound.id, Sound.trashed.is_(None)),
            mend=count(Sound.id, func.json_array_length(Sound.chain) > 0),
            stack=count(Design.id, Design.trashed.is_(None)),
            vary=count(Spread.id),
            slice=count(SlicePlan.id),
            ship=count(Shipment.id),
            picture=session.scalar(select(func.sum(func.json_array_length(SceneRow.scene, "$.cues"))).where(SceneRow.trashed.is_(None))) or 0,
        )


def sounds(library: Library) -> int:
    """All sounds of a library, those in the trash among them."""
    with library.reading() as session:
        return session.scalar(select(func.count(Sound.id))) or 0


def found(library: Library, words: str) -> tuple[list[Sound], list[tuple[int, str]]]:
    """Sounds that words find, the best first, and designs (id, name) whose name holds them."""
    like = f"%{words.replace('%', '').replace('_', '')}%"
    with library.reading() as session:
        ids = library.columns.search(session, Asked(words=words, limit=MOST_SOUNDS)).ids
        heard = [sound for id in ids if (sound := session.get(Sound, id)) is not None]
        designs = session.execute(select(Design.id, Design.name).where(Design.name.ilike(like), Design.trashed.is_(None)).limit(MOST_DESIGNS))
        return heard, [(id, name) for id, name in designs]
