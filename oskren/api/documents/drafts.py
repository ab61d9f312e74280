"""What is being put together in a project: the sheet of Ship, and the recipe of a design in Vary. It stays when the stage is left."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, changed
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.core.nodes.heard import Heard
from oskren.core.ship.draft import MOST, OnSheet, SheetDraft
from oskren.core.vary.recipe import RecipeDraft
from oskren.store import Library
from oskren.store.documents import designs as kept
from oskren.store.documents import revisions
from oskren.work.engine.studio import Studio

router = APIRouter(prefix="/lib/{library}", tags=["drafts"])


class SheetKept(BaseModel):
    """A sheet with its revision."""

    revision: int
    sheet: SheetDraft


class RecipeKept(BaseModel):
    """A recipe with its revision; 0 when it was never set."""

    revision: int
    draft: RecipeDraft


def _keep(name: str) -> Callable[[Studio, Library, int, BaseModel, int | None], Kept]:
    def keep(studio: Studio, library: Library, id: int, wanted: BaseModel, based_on: int | None) -> Kept:
        return Kept(revisions.keep_draft(library, *_where(library, name, id), wanted.model_dump(mode="json"), based_on))

    return keep


def _where(library: Library, name: str, id: int) -> tuple[int, str]:
    """Project and name of a draft: the sheet of a project, or the recipe of a design, which lies in the design's project."""
    return (id, "sheet") if name == "sheet" else (kept.design(library, id)[0].project, f"recipe {id}")


def _sheet(library: Library, id: int) -> SheetKept:
    body, revision = revisions.draft(library, id, "sheet")
    return SheetKept(revision=revision, sheet=SheetDraft.model_validate(body))


def _recipe(library: Library, id: int) -> RecipeKept:
    body, revision = revisions.draft(library, *_where(library, "recipe", id))
    return RecipeKept(revision=revision, draft=RecipeDraft.model_validate(body))


SHEET: Kind[SheetDraft] = Kind(
    name="sheet",
    body=SheetDraft,
    shown=SheetKept,
    read=lambda _, library, id: _sheet(library, id).sheet,
    keep=_keep("sheet"),
    view=lambda _, library, id, __: _sheet(library, id),
)
"""The sheet of a project."""

RECIPE: Kind[RecipeDraft] = Kind(
    name="recipe",
    body=RecipeDraft,
    shown=RecipeKept,
    read=lambda _, library, id: _recipe(library, id).draft,
    keep=_keep("recipe"),
    view=lambda _, library, id, __: _recipe(library, id),
)
"""The recipe of a design as it was set last."""

serve(router, "/sheets/{id}", SHEET)
serve(router, "/designs/{id}/recipe-draft", RECIPE)


class ToSheet(BaseModel):
    """What to put on a sheet; ``heard`` is how the sounds were heard."""

    sounds: list[int] = Field([], max_length=MOST)
    heard: Heard = Heard()
    designs: list[int] = Field([], max_length=MOST)
    draws: list[int] = Field([], max_length=MOST)
    versions: list[int] = Field([], max_length=MOST)


class PutOnSheet(SheetKept):
    """The sheet, and how many of them were not on it before."""

    added: int


@router.post("/sheets/{id}/items")
def put_on_sheet(studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: ToSheet) -> PutOnSheet:
    """Put sounds, designs and variations on the sheet behind those that are on it; a sound that is there already is taken as it was heard now."""
    more = OnSheet(sounds=wanted.sounds, heard=dict.fromkeys(wanted.sounds, wanted.heard), designs=wanted.designs, draws=wanted.draws, versions=wanted.versions)
    with revisions.turn(library, id):
        before = _sheet(library, id).sheet
        after = before.with_more(more)
        revision = revisions.keep_draft(library, id, "sheet", after.model_dump(mode="json"), None)
    changed(studio, library, page, "sheet", id)
    return PutOnSheet(revision=revision, sheet=after, added=after.count - before.count)
