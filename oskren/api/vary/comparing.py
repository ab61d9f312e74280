"""What is learnt of variations: the most different ones, what differs between two, how they repeat; more like one, and copies of a sound."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, Started, started
from oskren.api.vary.spreads import MOST, render_job
from oskren.core.nodes.heard import Heard
from oskren.core.nodes.model import Mix
from oskren.core.vary.blind import Guesses, Verdict, verdict
from oskren.core.vary.recipe import Value
from oskren.core.vary.repetition import Learnt, Repetition
from oskren.work.stack.designs import layer_as_heard
from oskren.work.vary import comparing
from oskren.work.vary import spreads as spreading

router = APIRouter(prefix="/lib/{library}", tags=["vary"])


class MostDifferent(BaseModel):
    """Ids of the variations that sound most different, in the order they are taken: the first is nearest the middle of all."""

    draws: list[int]


class RepetitionAsked(BaseModel):
    """How the kept variations of a spread are played, in turn with those of other spreads."""

    how: Repetition = Repetition()
    others: list[int] = Field([], max_length=7)


class Moment(BaseModel):
    """A variation and when it is heard (s)."""

    draw: int
    at_s: float


class RepetitionView(BaseModel):
    """One sound of many variations, which is heard when, and what was learnt of each set; None of a set of one."""

    mix: Mix
    moments: list[Moment]
    learnt: list[Learnt | None]


class DifferenceView(BaseModel):
    """A freedom that came out differently in two variations."""

    owner: str
    label: str
    unit: str
    one: Value
    other: Value


class ComparedView(BaseModel):
    """What differs between two variations: values, how far apart they sound, and the level of eight octaves of each (dB under its whole)."""

    differs: list[DifferenceView]
    apart: float | None
    octaves_hz: list[float]
    one_db: list[float]
    other_db: list[float]


class NearAsked(BaseModel):
    """More around a variation, or between it and another."""

    draw: int
    other: int | None = None
    seed: int = Field(ge=0, le=2**53)
    count: int = Field(12, ge=1, le=MOST)


class QuickAsked(BaseModel):
    """Copies of a sound, as it is heard, that differ as takes do: how many, and how much (1 is as much as takes of one hand)."""

    sound: int
    heard: Heard = Heard()
    count: int = Field(8, ge=1, le=MOST)
    amount: float = Field(1.0, ge=0, le=2)
    seed: int = Field(1, ge=0, le=2**53)
    project: int = 1


@router.get("/spreads/{id}/most-different")
def most_different(library: InLibrary, id: int, count: int) -> MostDifferent:
    """The variations of a spread that sound most different from each other, of those that were not dropped."""
    return MostDifferent(draws=comparing.most_different(library, id, max(1, count)))


@router.post("/spreads/{id}/repetition")
def repetition(library: InLibrary, id: int, asked: RepetitionAsked) -> RepetitionView:
    """The kept variations as a game would play them, and how alike the likeliest to be caught are."""
    made = comparing.repeated(library, [id, *asked.others], asked.how)
    return RepetitionView(mix=made.mix, moments=[Moment(draw=draw, at_s=at) for draw, at in made.moments], learnt=made.heard)


@router.get("/spreads/{id}/compared")
def compared(library: InLibrary, id: int, one: int, other: int) -> ComparedView:
    """What differs between two variations of a spread."""
    differs, both, apart = comparing.compared(library, id, (one, other))
    bands = [[float(level) for level in row.facts["measures"]["bands_db"]] if row.facts else [] for row in both]
    return ComparedView(
        differs=[DifferenceView(owner=one.owner, label=one.label, unit=one.unit, one=one.one, other=one.other) for one in differs],
        apart=apart,
        octaves_hz=list(comparing.OCTAVES_HZ),
        one_db=bands[0],
        other_db=bands[1],
    )


@router.post("/spreads/{id}/near")
def near(studio: InStudio, library: InLibrary, id: int, asked: NearAsked) -> Started:
    """Draw more around a variation, in a quarter of the ranges, or between two."""
    made = spreading.make_near(library, id, asked.draw, asked.other, asked.seed, asked.count)
    return started(render_job(studio, library, made, "more like it"), made)


@router.post("/quick-spreads")
def quick(studio: InStudio, library: InLibrary, asked: QuickAsked) -> Started:
    """Draw copies of a sound without a design."""
    layer = layer_as_heard(studio, library, asked.sound, asked.heard)
    made = spreading.make_quick(library, layer, asked.sound, asked.count, asked.amount, asked.seed, asked.project)
    return started(render_job(studio, library, made, layer.name), made)


@router.post("/blind")
def blind(library: InLibrary, guesses: Guesses) -> Verdict:
    """What a run of guesses in a blind comparison says."""
    return verdict(guesses)
