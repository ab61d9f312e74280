"""What is being put together in a project: the sheet of Ship, and the recipe of a design in Vary. It stays when the stage is left."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import BasedOn, InLibrary, InPage, InStudio, changed
from oskren.core.nodes.heard import Heard
from oskren.core.ship.draft import MOST, OnSheet, SheetDraft
from oskren.core.vary.recipe import RecipeDraft
from oskren.store.documents import designs as kept
from oskren.store.documents import revisions

router = APIRouter(prefix="/lib/{library}", tags=["drafts"])
InProject = Annotated[int, Query(ge=1, le=2**53)]


class SheetKept(BaseModel):
    """A sheet with its revision."""

    revision: int
    sheet: SheetDraft


class RecipeKept(BaseModel):
    """A recipe with its revision; 0 when it was never set."""

    revision: int
    draft: RecipeDraft


def _sheet(body: dict[str, Any], revision: int) -> SheetKept:
    return SheetKept(revision=revision, sheet=SheetDraft.model_validate(body))


@router.get("/sheet")
def sheet(library: InLibrary, project: InProject = 1) -> SheetKept:
    """The sheet of a project."""
    return _sheet(*revisions.draft(library, project, "sheet"))


@router.put("/sheet")
def keep_sheet(studio: InStudio, library: InLibrary, page: InPage, wanted: SheetDraft, project: InProject = 1, based_on: BasedOn = None) -> SheetKept:
    """Keep the sheet as it is now."""
    body = wanted.model_dump(mode="json")
    revision = revisions.keep_draft(library, project, "sheet", body, based_on)
    changed(studio, library, page, "sheet", project)
    return _sheet(body, revision)


class ToSheet(BaseModel):
    """What to put on a sheet; ``heard`` is how the sounds were heard."""

    sounds: list[int] = Field([], max_length=MOST)
    heard: Heard = Heard()
    designs: list[int] = Field([], max_length=MOST)
    draws: list[int] = Field([], max_length=MOST)


class PutOnSheet(SheetKept):
    """The sheet, and how many of them were not on it before."""

    added: int


@router.post("/sheet/items")
def put_on_sheet(studio: InStudio, library: InLibrary, page: InPage, wanted: ToSheet, project: InProject = 1) -> PutOnSheet:
    """Put sounds, designs and variations on the sheet behind those that are on it; a sound that is there already is taken as it was heard now."""
    more = OnSheet(sounds=wanted.sounds, heard=dict.fromkeys(wanted.sounds, wanted.heard), designs=wanted.designs, draws=wanted.draws)
    with revisions.turn(library, project):
        body, _ = revisions.draft(library, project, "sheet")
        before = SheetDraft.model_validate(body)
        after = before.with_more(more)
        body = after.model_dump(mode="json")
        revision = revisions.keep_draft(library, project, "sheet", body, None)
    changed(studio, library, page, "sheet", project)
    return PutOnSheet(**_sheet(body, revision).model_dump(), added=after.count - before.count)


@router.get("/designs/{id}/recipe-draft")
def recipe_draft(library: InLibrary, id: int, project: InProject = 1) -> RecipeKept:
    """The recipe of a design as it was set last."""
    kept.design(library, id)
    body, revision = revisions.draft(library, project, f"recipe {id}")
    return RecipeKept(revision=revision, draft=RecipeDraft.model_validate(body))


@router.put("/designs/{id}/recipe-draft")
def keep_recipe_draft(
    studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: RecipeDraft, project: InProject = 1, based_on: BasedOn = None
) -> RecipeKept:
    """Keep the recipe of a design as it is set now."""
    kept.design(library, id)
    revision = revisions.keep_draft(library, project, f"recipe {id}", wanted.model_dump(mode="json"), based_on)
    changed(studio, library, page, "recipe", id)
    return RecipeKept(revision=revision, draft=wanted)
