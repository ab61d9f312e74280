"""Saved chains and the sounds that follow them: a linked sound has the chain's steps, and changes with it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Step, check_chain
from oskren.core.steps import finding
from oskren.store.describe.undoing import note
from oskren.store.documents.revisions import step_on
from oskren.store.library import Library
from oskren.store.tables import SavedChain, Sound


def _plain(chain: Sequence[Step]) -> list[Any]:
    return [step.model_dump(mode="json") for step in chain]


def _row(session: Session, id: int) -> SavedChain:
    row = session.get(SavedChain, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no saved chain {id} in this library; it may have been removed.")
    return row


def keep(library: Library, name: str, chain: Sequence[Step], told: str | None = None) -> int:
    """Keep a chain by name, with what it does in words; one of the same name is replaced, and the sounds that follow it change with it."""
    if not chain:
        raise OskrenError("The chain has no steps; add one before keeping it.")
    with library.writing() as session:
        row = session.scalar(select(SavedChain).where(SavedChain.name == name.strip(), SavedChain.trashed.is_(None))) or SavedChain(name=name.strip())
        check_chain(chain, [Step.model_validate(step) for step in row.chain or []])
        row.chain = _plain(chain)
        row.told = row.told or "" if told is None else told.strip()
        session.add(row)
        session.flush()
        touched = _spread(session, row)
        id = row.id
    library.columns.touch(*touched)
    return id


def found(library: Library, wish: str) -> list[tuple[int, str, str]]:
    """Saved chains that answer a wish by their name or what is told of them, the best first: id, name and what is told; all by name for none."""
    with library.reading() as session:
        rows = session.execute(select(SavedChain.id, SavedChain.name, SavedChain.told).where(SavedChain.trashed.is_(None)).order_by(SavedChain.name)).all()
    if not wish.strip():
        return [(id, name, told) for id, name, told in rows]
    scored = [(finding.score(wish, [(name, finding.WORD), (told, finding.WORD)]), id, name, told) for id, name, told in rows]
    return [(id, name, told) for value, id, name, told in sorted(scored, key=lambda one: (-one[0], one[2])) if value > 0]


def _spread(session: Session, row: SavedChain) -> list[int]:
    users = list(session.scalars(select(Sound.id).where(Sound.follows == row.id)))
    if users:
        session.execute(update(Sound).where(Sound.follows == row.id).values(chain=row.chain, revision=Sound.revision + 1))
    return users


def chain_of(library: Library, id: int) -> tuple[str, tuple[Step, ...]]:
    """Name and steps of a saved chain."""
    with library.reading() as session:
        row = _row(session, id)
        return row.name, tuple(Step.model_validate(step) for step in row.chain)


def users(library: Library, id: int) -> list[tuple[int, str]]:
    """Sounds that follow a chain: id and name."""
    with library.reading() as session:
        rows = session.execute(select(Sound.id, Sound.name).where(Sound.follows == id, Sound.trashed.is_(None)).order_by(Sound.name)).all()
    return [(number_, name) for number_, name in rows]


def chains(library: Library) -> list[SavedChain]:
    """Saved chains by name."""
    with library.reading() as session:
        return list(session.scalars(select(SavedChain).where(SavedChain.trashed.is_(None)).order_by(SavedChain.name)))


def counts(library: Library) -> dict[int, int]:
    """How many sounds follow each chain."""
    with library.reading() as session:
        rows = session.execute(select(Sound.follows, func.count()).where(Sound.follows.is_not(None), Sound.trashed.is_(None)).group_by(Sound.follows)).all()
    return {id: count for id, count in rows if id is not None}


def give(library: Library, sounds: Sequence[int], id: int, *, linked: bool, after: bool = False, actor: str = "") -> None:
    """Put a saved chain on sounds, in one transaction: as a copy, instead of what they have or after it, or linked."""
    with library.writing() as session:
        row = _row(session, id)
        were: dict[str, Any] = {}
        became: dict[str, Any] = {}
        for sound in session.scalars(select(Sound).where(Sound.id.in_(sounds))):
            were[str(sound.id)] = {"chain": sound.chain, "follows": sound.follows}
            sound.chain = [*sound.chain, *row.chain] if after and not linked else list(row.chain)
            sound.follows = id if linked else None
            sound.revision += 1
            became[str(sound.id)] = {"chain": sound.chain, "follows": sound.follows}
        if were:
            note(session, f"{row.name} on {len(were)} {'sound' if len(were) == 1 else 'sounds'}", were, became, actor)
    library.columns.touch(*sounds)


def set_chain(library: Library, id: int, chain: Sequence[Step], based_on: int | None = None) -> Sound:
    """Keep a sound's chain. One that follows a saved chain changes that, and with it all that follow it."""
    with library.writing() as session:
        sound = session.get(Sound, id)
        if sound is None:
            raise NotFound(f"There is no sound {id} in this library; it may have been removed.")
        step_on(sound, based_on, sound.name)
        check_chain(chain, [Step.model_validate(step) for step in sound.chain or []])
        sound.chain = _plain(chain)
        touched = [id]
        if sound.follows is not None:
            row = _row(session, sound.follows)
            if not chain:
                sound.follows = None  # a saved chain is never empty: the sound goes its own way
            else:
                row.chain = _plain(chain)
                touched += _spread(session, row)
    library.columns.touch(*touched)
    return sound


def let_go(library: Library, id: int) -> Sound:
    """A sound goes its own way: it keeps the steps it has."""
    with library.writing() as session:
        sound = session.get(Sound, id)
        if sound is None:
            raise NotFound(f"There is no sound {id} in this library; it may have been removed.")
        sound.follows = None
    return sound
