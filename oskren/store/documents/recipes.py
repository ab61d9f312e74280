"""Recipes as they are kept by name."""

from __future__ import annotations

from sqlalchemy import select

from oskren.core.errors import NotFound
from oskren.core.vary.fitting import SavedRecipe
from oskren.store.documents.trash import LONGEST_NAME
from oskren.store.library import Library
from oskren.store.tables import RecipeRow


def recipes(library: Library) -> list[RecipeRow]:
    """All recipes that are kept, by name."""
    with library.reading() as session:
        return list(session.scalars(select(RecipeRow).where(RecipeRow.trashed.is_(None)).order_by(RecipeRow.name, RecipeRow.id)))


def recipe(library: Library, id: int) -> tuple[RecipeRow, SavedRecipe]:
    """A kept recipe; NotFound when there is none."""
    with library.reading() as session:
        row = session.get(RecipeRow, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no recipe {id}; it may have been removed.")
    return row, SavedRecipe.model_validate(row.saved)


def keep(library: Library, name: str, saved: SavedRecipe) -> int:
    """Keep a recipe by name; one of the same name is replaced. Its id."""
    name = name.strip()[:LONGEST_NAME]
    with library.writing() as session:
        row = session.scalar(select(RecipeRow).where(RecipeRow.name == name, RecipeRow.trashed.is_(None)))
        if row is None:
            row = RecipeRow(name=name, saved={})
            session.add(row)
        named = saved.model_copy(update={"recipe": saved.recipe.model_copy(update={"name": name})})
        row.saved = named.model_dump(mode="json")
        session.flush()
        return row.id
