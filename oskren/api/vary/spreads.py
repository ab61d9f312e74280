"""Vary: recipes, spreads, and what is kept of them."""

from __future__ import annotations

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
from oskren.store.tables import Spread
from oskren.work.engine.jobs import Job
from oskren.work.engine.studio import Studio
from oskren.work.vary import spreads as spreading

router = APIRouter(prefix="/lib/{library}", tags=["vary"])
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
    """One variation; without facts while it is being rendered."""

    id: int
    number: int
    state: DrawState
    mix: Mix
    ready: bool
    seconds: float | None
    loudness: float | None
    brightness: float | None
    outline: str


class JudgedView(BaseModel):
    """What is said of the variations of a spread, with its revision."""

    judged: Judgements
    revision: int


class SpreadView(SpreadHead, JudgedView):
    recipe: Recipe
    mix: Mix
    made_with: str
    all: list[DrawView]


class NewSpread(BaseModel):
    """Draw ``count`` variations of a design by a recipe (every layer a little, when none is given)."""

    design: int
    recipe: Recipe | None = None
    seed: int = Field(ge=0, le=2**53)
    count: int = Field(20, ge=1, le=400)


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


def _render_job(studio: Studio, library: Library, spread: int, name: str) -> Job:
    return studio.jobs.start(spreading.DRAW, library, f"Drawing {name}", spreading.Drawing(spread=spread))


@router.post("/spreads")
def add_spread(studio: InStudio, library: InLibrary, new: NewSpread) -> Started:
    """Draw a spread; rendering is a job."""
    row, mix = designs.design(library, new.design)
    if not mix.members:
        raise OskrenError(f"{row.name} has no layers yet; add some in Stack before drawing variations.")
    recipe = new.recipe or default_recipe(mix)
    draw(mix, recipe, new.seed, 1)
    spread = spreading.make(library, row.name, row.id, mix, recipe, new.seed, new.count, row.project)
    return started(_render_job(studio, library, spread, row.name), spread)


@router.get("/spreads/{id}")
def spread(library: InLibrary, id: int) -> SpreadView:
    """A spread with all its variations."""
    row, design, draws = kept.spread(library, id)
    views = []
    for one in draws:
        facts = one.facts or {}
        measures = facts.get("measures", {})
        views.append(
            DrawView(
                id=one.id,
                number=one.number,
                state=one.state,
                mix=Mix.model_validate(one.mix),
                ready=bool(facts),
                seconds=facts["frames"] / facts["rate"] if facts else None,
                loudness=measures.get("integrated_lufs"),
                brightness=measures.get("brightness_hz"),
                outline=small(one.outline),
            )
        )
    return SpreadView(
        **_head(row, design, [one.state for one in draws]),
        judged=Judgements.model_validate({"states": {one.id: one.state for one in draws if one.state in kept.SAID}}),
        revision=row.revision,
        recipe=Recipe.model_validate(row.recipe),
        mix=Mix.model_validate(row.mix),
        made_with=row.made_with,
        all=views,
    )


def _keep(studio: Studio, library: Library, id: int, wanted: Judgements, based_on: int | None) -> Kept:
    return Kept(kept.judge(library, id, wanted, based_on))


def _judged(studio: Studio, library: Library, id: int, refused: str) -> JudgedView:
    said, revision = kept.judged(library, id)
    return JudgedView(judged=said, revision=revision)


JUDGED: Kind[Judgements] = Kind(
    name="spread", body=Judgements, shown=JudgedView, read=lambda _, library, id: kept.judged(library, id)[0], keep=_keep, view=_judged
)
"""What is said of the variations of a spread."""

serve(router, "/spreads/{id}/judged", JUDGED)


@router.post("/draws/{id}/heard")
def note_heard(library: InLibrary, id: int) -> HeardView:
    """Note that a variation was heard."""
    return HeardView.model_validate({"state": kept.heard(library, id)})


@router.post("/spreads/{id}/redraw")
def redraw(studio: InStudio, library: InLibrary, page: InPage, id: int) -> Started:
    """Draw the dropped ones anew."""
    count, projects = spreading.redraw_dropped(library, id)
    if not count:
        raise OskrenError("Nothing is dropped in this spread; drop what should be drawn anew (X).")
    for project in projects:
        changed(studio, library, "", "sheet", project)
    changed(studio, library, page, "spread", id)
    return started(_render_job(studio, library, id, "anew"), id)


@router.post("/spreads/{id}/print")
def print_kept(studio: InStudio, library: InLibrary, id: int) -> list[int]:
    """Print the kept variations to the library; the new sounds' ids."""
    return spreading.print_kept(studio, library, id)
