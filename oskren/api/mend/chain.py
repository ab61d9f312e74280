"""Mend: the chain of one sound, its levels and its noise profile."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.asking import InQuestion
from oskren.api.common import InLibrary, SoundFacts, SoundState, facts_of
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Chained, Node, Step, active, check_chain
from oskren.core.steps import equaliser
from oskren.store import Library
from oskren.store.describe import following
from oskren.work.engine.studio import Studio
from oskren.work.mend import tasks as mending

router = APIRouter(prefix="/lib/{library}", tags=["mend"])


class Chain(BaseModel):
    chain: list[Step] = Field(max_length=64)


class SoundStates(BaseModel):
    states: list[SoundState] = Field(max_length=4)


class Response(BaseModel):
    """What the filters of a chain do (dB) at frequencies (Hz): all of them together, and each by its step."""

    hz: list[float]
    db: list[float]
    steps: dict[str, list[float]]


class Filters(BaseModel):
    """A chain, and the rate (Hz) of what goes through it."""

    chain: list[Step] = Field(max_length=64)
    rate: int = Field(ge=1000, le=768_000)


class Processed(BaseModel):
    """A node through a chain."""

    node: Node
    chain: list[Step] = Field(max_length=64)

    @property
    def chained(self) -> Chained:
        """As a node."""
        return Chained(node=self.node, chain=tuple(self.chain))


class LevelAfter(BaseModel):
    """Level before the first step (``step`` empty) and after each active step, and what the step found; at both ends, how much louder right is than left."""

    step: str
    peak_dbfs: float | None
    rms_dbfs: float | None
    lufs: float | None
    over: bool
    seconds: float
    found: str
    balance_lu: float | None


class Profile(BaseModel):
    """A noise profile: the parts it was learned from (s) and its curve."""

    parts: list[tuple[float, float]]
    hz: list[float]
    dbfs: list[float]


class ListedView(BaseModel):
    """One thing a step found: where (s of the sound), in which channel (from 0), how far it stands out (dB), and how sure it is (0 to 1) where it says so."""

    at_s: float
    end_s: float
    channel: int
    height_db: float
    sure: float | None


class ResonanceView(BaseModel):
    """A narrow peak: its frequency and its width at half power (Hz), its height over what lies around it (dB), and its quality."""

    frequency_hz: float
    height_db: float
    width_hz: float
    q: float


def _keep(studio: Studio, library: Library, id: int, wanted: Chain, based_on: int | None) -> Kept:
    return Kept(following.set_chain(library, id, wanted.chain, based_on).revision or 0)


CHAIN: Kind[Chain] = Kind(
    name="chain",
    body=Chain,
    shown=SoundFacts,
    read=lambda _, library, id: Chain(chain=[Step.model_validate(one) for one in library.sound(id).chain]),
    keep=_keep,
    view=lambda _, library, id, __: facts_of(library, library.sound(id)),
)
"""The chain of a sound, whose original is never changed. One that follows a saved chain changes that, for all that follow it."""

serve(router, "/sounds/{id}/chain", CHAIN)


@router.put("/sounds/{id}/states")
def set_states(library: InLibrary, id: int, wanted: SoundStates) -> SoundFacts:
    """Keep up to four states of a sound's chain, to compare with."""
    kept = [SoundState.model_validate(one) for one in library.sound(id).states or []]
    for state in wanted.states:
        check_chain(state.chain, [step for one in kept for step in one.chain] + [Step.model_validate(one) for one in library.sound(id).chain])
    return facts_of(library, library.change(id, {"states": [one.model_dump(mode="json") for one in wanted.states]}))


@router.post("/mend/response")
def filter_response(library: InLibrary, wanted: Filters) -> Response:
    """Frequency response of the filters that are on."""
    hz, steps = equaliser.response(active(tuple(wanted.chain)), wanted.rate)
    total = sum(steps.values(), start=hz * 0)
    return Response(hz=hz.round(2).tolist(), db=total.round(2).tolist(), steps={name: one.round(2).tolist() for name, one in steps.items()})


@router.post("/mend/levels")
async def levels(question: InQuestion, wanted: Processed) -> list[LevelAfter]:
    """Level before and after each step. Like all questions here it ends when nobody waits for it any more."""
    return [LevelAfter(**one) for one in await question.answered(mending.chain_levels, wanted.chained)]


@router.post("/mend/levels/estimated")
async def estimated_levels(question: InQuestion, wanted: Processed) -> list[LevelAfter]:
    """The same of a long sound from a few of its parts, in a moment; nothing for a short one."""
    return [LevelAfter(**one) for one in await question.answered(mending.estimated_levels, wanted.chained)]


@router.post("/mend/profile")
async def profile(question: InQuestion, wanted: Processed) -> Profile:
    """The noise profile of the chain's last step, a noise reduction."""
    if not wanted.chain or wanted.chain[-1].kind != "noise_reduction":
        raise OskrenError("The last step of this chain is no noise reduction; there is no profile to show.")
    return Profile(**await question.answered(mending.noise_profile, wanted.chained))


@router.post("/mend/listed")
async def listed(question: InQuestion, wanted: Processed) -> list[ListedView]:
    """What the chain's last step found, one by one: clicks, bumps, cut peaks."""
    return [ListedView(**one) for one in await question.answered(mending.listed, wanted.chained)]


@router.post("/mend/resonances")
async def resonances(question: InQuestion, wanted: Processed) -> list[ResonanceView]:
    """Narrow peaks of a node through a chain, the highest first."""
    return [ResonanceView(**one) for one in await question.answered(mending.resonances, wanted.chained)]
