"""A chain put on many sounds: every one is rendered and measured first, so that the report says what came of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel

from oskren.core.nodes.model import Chained, NodeAdapter
from oskren.store import Library
from oskren.store.describe import following
from oskren.store.library import node_of
from oskren.work.engine.jobs import NOTHING, Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.mend import tasks as mending


class Outcome(BaseModel):
    """What a chain did to a sound: sample peak (dBFS) and loudness (LUFS) before and after, whether it goes over full scale, or why it was left."""

    id: int
    name: str
    before_dbfs: float | None = None
    after_dbfs: float | None = None
    before_lufs: float | None = None
    after_lufs: float | None = None
    over: bool = False
    reason: str = ""


def give(
    studio: Studio,
    library: Library,
    id: int,
    sounds: Sequence[int],
    linked: bool,
    after: bool,
    progress: Progress = ALONE,
    actor: str = "",
) -> list[Outcome]:
    """Put a saved chain on sounds; those it cannot be rendered for are left as they are, with the reason."""
    _, chain = following.chain_of(library, id)
    rows, calls = [], []
    for sound in library.sounds(sounds):
        now = node_of(sound)
        then = Chained(node=now if after and not linked else NodeAdapter.validate_python(sound.node), chain=chain)
        place = studio.place(library, now, then, flag=progress.flag)
        rows.append(Outcome(id=sound.id, name=sound.name))
        calls.append((mending.outcome, place, now.model_dump(mode="json"), then.model_dump(mode="json")))
    done: list[Outcome] = list(rows)
    for position, found in studio.batch(calls, progress):
        done[position] = rows[position].model_copy(update=found)
    progress.at(len(sounds), len(sounds))
    following.give(library, [row.id for row in done if not row.reason], id, linked=linked, after=after, actor=actor)
    return done


class Giving(Arguments):
    """Put a saved chain on sounds, for the page that asked."""

    chain: int
    sounds: list[int]
    linked: bool
    after: bool
    page: str = ""


class Given(BaseModel):
    """What the chain did to each of them."""

    kind: Literal["chain"] = "chain"
    rows: list[Outcome]


def _give(studio: Studio, library: Library, wanted: Giving, progress: Progress) -> Given:
    return Given(rows=give(studio, library, wanted.chain, wanted.sounds, wanted.linked, wanted.after, progress, wanted.page))


GIVE = Kind("chain", Giving, _give, left=NOTHING)
