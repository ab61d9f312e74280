"""Vary: recipes, spreads, and what is kept of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, Started, changed, started
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Mix
from oskren.core.vary.judging import Judgement, Judgements
from oskren.core.vary.recipe import Recipe, default_recipe, draw
from oskren.store import Library
from oskren.store.documents import designs
from oskren.store.documents import spreads as kept
from oskren.store.search.rows import small
from oskren.store.tables import Draw, Spread
from oskren.work.engine.job import Job
from oskren.work.engine.studio import Studio
from oskren.work.vary import comparing
from oskren.work.vary import spreads as spreading

router = APIRouter(prefix="/lib/{library}", tags=["vary"])
MOST = 500
DrawState = Judgement | Literal["unheard", "heard"]


class SpreadHead(BaseModel):
    id: int
    name: str
    seed: int
    design: int | None
    draws: int
    kept: int
    created: str
    project: int


class DrawView(BaseModel):
    """One variation; without facts while it is being rendered.

    ``described`` is what a map may be drawn by, ``place`` where it lies on the map of all that was measured; ``added_db`` is what brought it to the
    loudness of the design, ``instead_of`` the numbers it was drawn in place of and why, ``note`` what is wrong with it all the same.
    """

    id: int
    number: int
    state: DrawState
    ready: bool
    seconds: float | None
    loudness: float | None
    brightness: float | None
    outline: str
    described: dict[str, float | None] = {}
    place: tuple[float, float] | None = None
    added_db: float = 0.0
    instead_of: str = ""
    note: str = ""


class DrawnMix(BaseModel):
    """A variation as a design."""

    mix: Mix


class PairView(BaseModel):
    """Two variations that pass for the same in quick succession."""

    one: int
    other: int
    apart: float


class JudgedView(BaseModel):
    """What is said of the variations of a spread, with its revision."""

    judged: Judgements
    revision: int


class SpreadView(SpreadHead, JudgedView):
    recipe: Recipe
    mix: Mix
    made_with: str
    all: list[DrawView]
    sound: int | None
    """The sound it was drawn from, where that is no design."""
    alone: bool
    """Whether it is drawn anew from what it holds: copies of a sound, more around a variation."""
    matched: str
    """What the variations were matched to, in words; empty when they are as drawn."""
    alike: list[PairView]
    family: list[int]


class NewSpread(BaseModel):
    """Draw ``count`` variations by a recipe (every layer a little, when none is given): of a design, or of what another spread was drawn from."""

    design: int | None = None
    spread: int | None = None
    recipe: Recipe | None = None
    seed: int = Field(ge=0, le=2**53)
    count: int = Field(20, ge=1, le=MOST)


class HeardView(BaseModel):
    """The state of a variation once it was heard."""

    state: DrawState


@router.get("/spreads")
def spreads(library: InLibrary) -> list[SpreadHead]:
    """All spreads, newest first."""
    return [SpreadHead(**_head(row, design, states)) for row, design, states in kept.heads(library)]


def _head(row: Spread, design: int | None, states: list[str]) -> dict[str, Any]:
    return {
        "id": row.id,
        "name": row.name,
        "seed": row.seed,
        "design": design,
        "draws": len(states),
        "kept": states.count("kept"),
        "created": row.created,
        "project": row.project,
    }


@router.get("/designs/{id}/recipe")
def recipe_of(library: InLibrary, id: int) -> Recipe:
    """A recipe to begin with: every layer a little."""
    return default_recipe(designs.design(library, id)[1])


def render_job(studio: Studio, library: Library, spread: int, name: str, more: Sequence[int] = ()) -> Job:
    return studio.jobs.start(spreading.DRAW, library, f"Drawing {name}", spreading.Drawing(spread=spread, more=list(more)))


@router.post("/spreads")
def add_spread(studio: InStudio, library: InLibrary, new: NewSpread) -> Started:
    """Draw a spread; rendering is a job."""
    design: int | None
    sound: int | None
    if new.design is not None:
        row, mix = designs.design(library, new.design)
        name, project = row.name, row.project
        design, sound, alone = row.id, None, False
    elif new.spread is not None:
        before, design, _ = kept.spread(library, new.spread)
        mix = Mix.model_validate(before.mix)
        name, sound, project, alone = before.name, before.sound_id, before.project, True
    else:
        raise OskrenError("Say which design or spread is to be drawn from.")
    if not mix.members:
        raise OskrenError(f"{name} has no layers yet; add some in Stack before drawing variations.")
    recipe = spreading.with_candidates(library, new.recipe or default_recipe(mix), project)
    draw(mix, recipe, new.seed, 1)
    spread = spreading.make(library, name, design, mix, recipe, new.seed, new.count, project, sound=sound, alone=alone)
    return started(render_job(studio, library, spread, name), spread)


@router.get("/spreads/{id}")
def spread(library: InLibrary, id: int) -> SpreadView:
    """A spread with all its variations."""
    row, design, draws = kept.spread(library, id)
    places, alike = comparing.seen(draws)
    replaced = {entry["by"]: entry for entry in row.facts.get("replaced", ())}
    wanted = row.facts.get("reference")
    return SpreadView(
        **_head(row, design, [one.state for one in draws]),
        judged=kept.said_of(draws),
        revision=row.revision,
        recipe=Recipe.model_validate(row.recipe),
        mix=Mix.model_validate(row.mix),
        made_with=row.made_with,
        all=[_drawn(one, places.get(one.id), _instead(one.number, replaced)) for one in draws],
        sound=row.sound_id,
        alone=bool(row.facts.get("alone")),
        matched=f"{wanted['lufs']:.1f} LUFS, {'momentary maximum' if wanted['by'] == 'momentary' else 'integrated'}" if wanted else "",
        alike=[PairView(one=one, other=other, apart=far) for one, other, far in alike],
        family=row.facts.get("family", []),
    )


def _instead(number: int, replaced: dict[int, dict[str, Any]]) -> str:
    """What a number was drawn instead of, and why: the whole row of numbers before it."""
    said = []
    while (entry := replaced.get(number)) is not None:
        number = entry["number"]
        said.append(f"No {number}: {entry['why']}")
    return "; ".join(reversed(said))


def _drawn(one: Draw, place: tuple[float, float] | None, instead: str) -> DrawView:
    facts = one.facts or {}
    described = comparing.described(facts)
    return DrawView(
        id=one.id,
        number=one.number,
        state=one.state,
        ready=bool(facts),
        seconds=described["length"],
        loudness=described["loudness"],
        brightness=described["brightness"],
        outline=small(one.outline),
        described=described if facts else {},
        place=place,
        added_db=facts.get("added_db", 0.0),
        instead_of=instead,
        note=facts.get("note", ""),
    )


def _keep(studio: Studio, library: Library, id: int, wanted: Judgements, based_on: int | None) -> Kept:
    revision, anew = kept.judge(library, id, wanted, based_on)
    if anew:
        render_job(studio, library, id, "anew")
    return Kept(revision)


def _judged(studio: Studio, library: Library, id: int, refused: str) -> JudgedView:
    said, revision = kept.judged(library, id)
    return JudgedView(judged=said, revision=revision)


JUDGED: Kind[Judgements] = Kind(
    name="spread", body=Judgements, shown=JudgedView, read=lambda _, library, id: kept.judged(library, id)[0], keep=_keep, view=_judged
)
"""What is said of the variations of a spread."""

serve(router, "/spreads/{id}/judged", JUDGED)


@router.get("/draws/{id}")
def drawn_mix(library: InLibrary, id: int) -> DrawnMix:
    """What a variation is made of."""
    return DrawnMix(mix=kept.mix_of(library, id))


@router.post("/draws/{id}/heard")
def note_heard(library: InLibrary, id: int) -> HeardView:
    """Note that a variation was heard."""
    return HeardView.model_validate({"state": kept.heard(library, id)})


class Redrawing(JudgedView, Started):
    """Dropped variations are drawn anew: by which numbers, and the job."""


@router.post("/spreads/{id}/redraw")
def redraw(studio: InStudio, library: InLibrary, page: InPage, id: int) -> Redrawing:
    """Draw the dropped ones anew."""
    count, projects = kept.redraw_dropped(library, id)
    if not count:
        raise OskrenError("Nothing is dropped in this spread; drop what should be drawn anew (X).")
    for project in projects:
        changed(studio, library, "", "sheet", project)
    changed(studio, library, page, "spread", id)
    said, revision = kept.judged(library, id)
    return Redrawing(job=render_job(studio, library, id, "anew").id, id=id, judged=said, revision=revision)


@router.post("/spreads/{id}/print")
def print_kept(studio: InStudio, library: InLibrary, id: int) -> list[int]:
    """Print the kept variations to the library; the new sounds' ids."""
    return spreading.print_kept(studio, library, id)
