"""A chain put on many sounds: every one is rendered and measured first, so that the report says what came of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from pydantic import BaseModel

from oskren.core.nodes.model import Chained, NodeAdapter
from oskren.store import Library, following
from oskren.store.library import node_of
from oskren.work import tasks
from oskren.work.studio import Studio, Told


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
    number: int,
    sounds: Sequence[int],
    linked: bool,
    after: bool,
    told: Told | None = None,
    stop: Callable[[], bool] = lambda: False,
    flag: str = "",
    actor: str = "",
) -> list[Outcome]:
    """Put a saved chain on sounds; those it cannot be rendered for are left as they are, with the reason."""
    _, chain = following.chain_of(library, number)
    rows, calls = [], []
    for one in sounds:
        sound = library.sound(one)
        now = node_of(sound)
        then = Chained(node=now if after and not linked else NodeAdapter.validate_python(sound.node), chain=chain)
        place = studio.place(library, now, then, flag=flag)
        rows.append(Outcome(id=one, name=sound.name))
        calls.append((tasks.outcome, place, now.model_dump(mode="json"), then.model_dump(mode="json")))
    done: list[Outcome] = list(rows)
    for position, found in studio.batch(calls, told, stop):
        done[position] = rows[position].model_copy(update=found)
    if told:
        told(len(sounds), len(sounds))
    following.give(library, [row.id for row in done if not row.reason], number, linked=linked, after=after, actor=actor)
    return done
