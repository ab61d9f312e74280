"""Recipes: what of a design may be freed, how its ends sound, and recipes kept by name for other designs."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, Started, changed, started
from oskren.api.vary.spreads import MOST, render_job
from oskren.core.nodes.model import Mix
from oskren.core.vary.fitting import SavedRecipe, fitted
from oskren.core.vary.paths import Freeable, freeable
from oskren.core.vary.recipe import Freedom, Recipe, at_ends
from oskren.store.documents import designs, spreads
from oskren.store.documents import recipes as kept
from oskren.work.vary import spreads as spreading

router = APIRouter(prefix="/lib/{library}", tags=["vary"])


class Ends(BaseModel):
    """A freedom whose ends are to be heard on a design, with the amount its recipe scales it by."""

    freedom: Freedom
    amount: float = Field(1.0, ge=0, le=2)


class EndsView(BaseModel):
    """A design with one freed control at either end of its range."""

    low: Mix
    high: Mix


class RecipeHead(BaseModel):
    """A recipe that is kept by name."""

    id: int
    name: str
    freedoms: int


class NewRecipe(BaseModel):
    """A recipe to be kept by name, as it is set for a design."""

    name: str = Field(min_length=1, max_length=200)
    design: int
    recipe: Recipe


class RecipeId(BaseModel):
    id: int


class FittedView(BaseModel):
    """A kept recipe on a design, and what of it did not fit, in sentences."""

    recipe: Recipe
    said: list[str]


class FamilyPart(BaseModel):
    """So many variations by a kept recipe."""

    recipe: int
    count: int = Field(ge=1, le=MOST)


class NewFamily(BaseModel):
    """Several recipes on one design, drawn as one job, matched to the same loudness."""

    design: int
    seed: int = Field(ge=0, le=2**53)
    parts: list[FamilyPart] = Field(min_length=1, max_length=20)


class FamilyStarted(Started):
    """The spreads of a family, one a recipe, and what of the recipes did not fit."""

    spreads: list[int]
    said: list[str]


@router.get("/designs/{id}/freeable")
def freeable_of(library: InLibrary, id: int) -> list[Freeable]:
    """All that may be freed of a design."""
    return freeable(designs.design(library, id)[1])


@router.get("/spreads/{id}/freeable")
def freeable_of_spread(library: InLibrary, id: int) -> list[Freeable]:
    """All that may be freed of what a spread was drawn from."""
    return freeable(Mix.model_validate(spreads.spread(library, id)[0].mix))


@router.post("/designs/{id}/ends")
def ends_of(library: InLibrary, id: int, wanted: Ends) -> EndsView:
    """A design at both ends of one freedom, to be heard."""
    row, mix = designs.design(library, id)
    recipe = spreading.with_candidates(library, Recipe(freedoms=(wanted.freedom,)), row.project)
    low, high = at_ends(mix, recipe.freedoms[0], wanted.amount)
    return EndsView(low=low, high=high)


@router.get("/recipes")
def recipes(library: InLibrary) -> list[RecipeHead]:
    """Recipes that are kept by name."""
    return [RecipeHead(id=row.id, name=row.name, freedoms=len(row.saved["recipe"]["freedoms"])) for row in kept.recipes(library)]


@router.post("/recipes")
def keep_recipe(studio: InStudio, library: InLibrary, page: InPage, new: NewRecipe) -> RecipeId:
    """Keep a recipe by name; one of the same name is replaced."""
    id = kept.keep(library, new.name, SavedRecipe.of(new.recipe, designs.design(library, new.design)[1]))
    changed(studio, library, page, "saved recipe", id)
    return RecipeId(id=id)


@router.get("/designs/{id}/recipes/{recipe}")
def recipe_on(library: InLibrary, id: int, recipe: int) -> FittedView:
    """A kept recipe as it fits a design: layers found by role, then name, then order."""
    fits, said = fitted(kept.recipe(library, recipe)[1], designs.design(library, id)[1])
    return FittedView(recipe=fits, said=said)


@router.post("/families")
def add_family(studio: InStudio, library: InLibrary, new: NewFamily) -> FamilyStarted:
    """Draw a family: one spread a recipe, all rendered as one job."""
    parts = [spreading.Part(part.recipe, part.count) for part in new.parts]
    made, said = spreading.make_family(library, new.design, parts, new.seed)
    job = render_job(studio, library, made[0], f"a family of {designs.design(library, new.design)[0].name}", made[1:])
    return FamilyStarted(job=started(job).job, id=made[0], spreads=made, said=said)
