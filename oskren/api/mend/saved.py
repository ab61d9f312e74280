"""Chains kept by name: put on sounds as a copy or linked, and on hundreds as a job with a report."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, SoundFacts, Started, facts_of, started
from oskren.api.gather.keeping import Kept
from oskren.api.gather.sounds import Among, ids_of
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Step
from oskren.store.describe import following
from oskren.store.tables import SavedChain
from oskren.work.mend import giving

router = APIRouter(prefix="/lib/{library}", tags=["chains"])

MOST_SOUNDS = 5000


class ChainView(BaseModel):
    """A saved chain, what it does in words, and how many sounds follow it."""

    id: int
    name: str
    told: str
    chain: list[Step]
    users: int


class NewChain(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    told: str | None = Field(None, max_length=400)
    chain: list[Step] = Field(max_length=64)


class User(BaseModel):
    """A sound that follows a chain."""

    id: int
    name: str


class Giving(Among):
    """Sounds a chain is put on: as a copy instead of what they have, as a copy after it, or linked."""

    linked: bool = False
    after: bool = False


@router.get("/chains")
def chains(library: InLibrary) -> list[ChainView]:
    """Saved chains."""
    users = following.counts(library)
    return [_viewed(row, users.get(row.id, 0)) for row in following.chains(library)]


def _viewed(row: SavedChain, users: int) -> ChainView:
    return ChainView(id=row.id, name=row.name, told=row.told, chain=[Step.model_validate(step) for step in row.chain], users=users)


@router.post("/chains")
def keep_chain(library: InLibrary, new: NewChain) -> Kept:
    """Keep a chain by name; one of the same name is replaced, with it what follows it."""
    return Kept(id=following.keep(library, new.name, new.chain, new.told))


@router.get("/chains/{id}/users")
def chain_users(library: InLibrary, id: int) -> list[User]:
    """Sounds that follow a chain."""
    following.chain_of(library, id)
    return [User(id=sound, name=name) for sound, name in following.users(library, id)]


@router.post("/chains/{id}/give")
def give_chain(studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: Giving) -> Started:
    """Put a chain on sounds, as a job: each is rendered and measured first, and what would fail or clip is told."""
    name, _ = following.chain_of(library, id)
    sounds = ids_of(library, wanted)
    if not sounds:
        raise OskrenError("No sound is chosen to put the chain on.")
    if len(sounds) > MOST_SOUNDS:
        raise OskrenError(f"A chain can be put on at most {MOST_SOUNDS} sounds at once; narrow the choice.")
    asked = giving.Giving(chain=id, sounds=sounds, linked=wanted.linked, after=wanted.after, page=page)
    return started(studio.jobs.start(giving.GIVE, library, f"{name} on {len(sounds)} {'sound' if len(sounds) == 1 else 'sounds'}", asked))


@router.post("/sounds/{id}/unlink")
def unlink(library: InLibrary, id: int) -> SoundFacts:
    """A sound that follows a saved chain goes its own way, with the steps it has."""
    return facts_of(library, following.let_go(library, id))
