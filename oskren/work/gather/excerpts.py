"""Excerpts: marked parts of a sound become entries of the library, with names of their own."""

from __future__ import annotations

import threading
from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select

from oskren.core.errors import OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.model import Excerpt, NodeAdapter
from oskren.store import Library
from oskren.store.describe import undoing
from oskren.store.library import node_of
from oskren.store.tables import Sound
from oskren.work.engine.studio import Studio

SHORTEST_S = 0.005
MOST_PARTS = 500


class Part(BaseModel):
    """A marked part of a sound (s); without a name it is numbered after the sound."""

    model_config = ConfigDict(extra="forbid")

    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)
    name: str = Field("", max_length=400)


class Cut(BaseModel):
    """An excerpt of a sound, and the part it is (s)."""

    id: int
    name: str
    start_s: float
    end_s: float
    tags: str
    category: str


def cut(studio: Studio, library: Library, id: int, parts: Sequence[Part], tags: str = "", actor: str = "") -> list[int]:
    """Make parts of a sound, as it is heard now, entries of the library; their ids.

    They join the sound's arrival, so they have its notes; category, rights and date come from it too.
    """
    sound = library.sound(id)
    whole = node_of(sound)
    length = studio.renderer(library).output_shape(whole).seconds
    if len(parts) > MOST_PARTS:
        raise OskrenError(f"At most {MOST_PARTS} parts can be made excerpts at once.")
    for part in parts:
        if part.end_s - part.start_s < SHORTEST_S or part.start_s >= length:
            raise OskrenError(
                f"{part.start_s:.3f} to {part.end_s:.3f} s is no part of {sound.name}, which is {length:.3f} s long; mark at least {SHORTEST_S * 1000:.0f} ms."
            )
    if not parts:
        raise OskrenError("No part is marked; set its start with [ and its end with ].")
    made = []
    for part in parts:
        node = Excerpt(node=whole, start_s=part.start_s, end_s=min(part.end_s, length))
        facts = studio.facts(library, node)
        name = part.name.strip() or _free_name(library, sound)
        shape = (facts["rate"], facts["channels"], facts["frames"])
        made.append(
            library.add_made(
                name,
                "excerpt",
                node,
                *shape,
                Measures(**facts["measures"]),
                facts["outline"],
                sound.arrival_id,
                sound.category,
                tags=tuple(dict.fromkeys([*sound.tags.split(), *tags.split()])),
                sure=sound.category_sure,
                cut_from=id,
                layout=facts["layout"],
                recorded=sound.recorded,
                rights=sound.rights,
            )
        )
    names = ", ".join(library.sound(one).name for one in made[:2])
    undoing.note_made(library, made, f"{names if len(made) < 3 else f'{len(made)} excerpts of {sound.name}'} made", actor)
    return made


_naming = threading.Lock()
_given: dict[tuple[str, int], int] = {}


def _free_name(library: Library, sound: Sound) -> str:
    """The next name of a part of a sound; parts cut at the same moment get different ones."""
    with _naming, library.reading() as session:
        held = set(session.scalars(select(Sound.name).where(Sound.cut_from == sound.id)))
        place = max(len(held), _given.get((str(library.folder), sound.id), 0))
        while (name := f"{sound.name} part {(place := place + 1):02d}") in held:
            pass
        _given[(str(library.folder), sound.id)] = place
    return name


def cuts(library: Library, id: int) -> list[Cut]:
    """The excerpts of a sound, in the order they lie in it."""
    with library.reading() as session:
        rows = session.scalars(select(Sound).where(Sound.cut_from == id, Sound.trashed.is_(None))).all()
    found = []
    for row in rows:
        node = NodeAdapter.validate_python(row.node)
        if isinstance(node, Excerpt):
            found.append(Cut(id=row.id, name=row.name, start_s=node.start_s, end_s=node.end_s, tags=row.tags, category=row.category))
    return sorted(found, key=lambda one: (one.start_s, one.id))
