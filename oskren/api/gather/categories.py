"""Gather over HTTP: the tree of categories, which its user owns."""

from __future__ import annotations

from fastapi import APIRouter, Response
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage
from oskren.api.gather.keeping import Counted
from oskren.core.words.categories import Category
from oskren.store.describe import tree

router = APIRouter(prefix="/lib/{library}", tags=["keeping"])


class CategoryView(BaseModel):
    path: str
    code: str
    words: list[str]
    sounds: int


class Moving(BaseModel):
    """A category's new path: another name, another place, or that of a category to merge with."""

    path: str = Field(min_length=1, max_length=300)
    to: str = Field(min_length=1, max_length=300)


class Removing(BaseModel):
    """A category to delete, and where its sounds go ("" for none)."""

    path: str = Field(min_length=1, max_length=300)
    instead: str = ""


class Table(BaseModel):
    """A table of categories as CSV; ``replace`` drops those that hold no sound."""

    csv: str = Field(max_length=8_000_000)
    replace: bool = False


@router.get("/categories")
def categories(library: InLibrary) -> list[CategoryView]:
    """The tree, each with the sounds filed right in it."""
    counts = tree.counts(library)
    return [CategoryView(path=one.path, code=one.code, words=list(one.words), sounds=counts.get(one.path, 0)) for one in tree.categories(library)]


@router.put("/categories")
def put_category(library: InLibrary, page: InPage, category: Category) -> Category:
    """Add a category, or give one its code and words."""
    return tree.add(library, category.path, category.code, category.words, page)


@router.post("/categories/move")
def move_category(library: InLibrary, page: InPage, wanted: Moving) -> Counted:
    """Rename, move or merge a category; its sounds and what lies below go along."""
    return Counted(count=tree.move(library, wanted.path, wanted.to, page))


@router.post("/categories/remove")
def remove_category(library: InLibrary, page: InPage, wanted: Removing) -> Counted:
    """Delete a category; its sounds get another one."""
    return Counted(count=tree.remove(library, wanted.path, wanted.instead, page))


@router.get("/categories.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def categories_csv(library: InLibrary) -> Response:
    """The tree as CSV."""
    return Response(tree.export_csv(library), media_type="text/csv", headers={"Content-Disposition": 'attachment; filename="categories.csv"'})


@router.post("/categories.csv")
def load_categories(library: InLibrary, page: InPage, table: Table) -> Counted:
    """Load categories from CSV."""
    return Counted(count=tree.import_csv(library, table.csv, replace=table.replace, actor=page))
