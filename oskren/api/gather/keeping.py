"""Gather over HTTP: what a library keeps by name: sets, saved searches, own fields, projects."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage
from oskren.api.gather.sounds import Among, ids_of
from oskren.core.timecode import ProjectSettings
from oskren.store.describe import keeping
from oskren.store.tables import Project, SavedSearch, SoundSet

router = APIRouter(prefix="/lib/{library}", tags=["keeping"])


class Counted(BaseModel):
    """How many sounds or rows a change touched."""

    count: int


class SetView(BaseModel):
    id: int
    name: str
    sounds: int


class NewSet(Among):
    name: str = Field(min_length=1, max_length=120)


class SetChange(Among):
    """Rename a set; put sounds into it or move them in it (before one of its sounds, or at its end); take sounds out."""

    name: str | None = Field(None, min_length=1, max_length=120)
    before: int | None = None
    take_out: list[int] = []


class Kept(BaseModel):
    """Something kept by name."""

    id: int


class SearchView(BaseModel):
    """A saved search: its text, facets, order."""

    id: int
    name: str
    asked: dict[str, Any]


class NewSearch(BaseModel):
    name: str = Field(min_length=1, max_length=120)
    asked: dict[str, Any]


class FieldView(BaseModel):
    """A field of the user's own."""

    name: str = Field(min_length=1, max_length=60)
    kind: Literal["text", "number", "date", "choice"]
    options: list[str] = Field([], max_length=200)


class ProjectView(ProjectSettings):
    id: int
    name: str

    @classmethod
    def of(cls, row: Project) -> ProjectView:
        return cls(id=row.id, name=row.name, frame_rate=row.frame_rate)


class NewProject(BaseModel):
    name: str = Field(min_length=1, max_length=80)


@router.get("/sets")
def sets(library: InLibrary) -> list[SetView]:
    """Every set."""
    return [SetView(id=id, name=name, sounds=count) for id, name, count in keeping.sets(library)]


@router.post("/sets")
def add_set(library: InLibrary, page: InPage, new: NewSet) -> Kept:
    """Begin a set, of chosen sounds or empty."""
    return Kept(id=keeping.add_set(library, new.name, ids_of(library, new), page))


@router.patch("/sets/{id}")
def change_set(library: InLibrary, page: InPage, id: int, change: SetChange) -> Counted:
    """Rename a set, put sounds into it, move them in it, take them out."""
    if change.name is not None:
        keeping.keep_set(library, id, name=change.name, actor=page)
    wanted = ids_of(library, change)
    if change.take_out:
        keeping.keep_set(library, id, sounds=[one for one in keeping.set_members(library, id) if one not in set(change.take_out)], actor=page)
    if wanted:
        keeping.put_in_set(library, id, wanted, change.before, page)
    return Counted(count=len(keeping.set_members(library, id)))


@router.delete("/sets/{id}")
def delete_set(library: InLibrary, page: InPage, id: int) -> Kept:
    """Delete a set; its sounds stay."""
    keeping.forget(library, SoundSet, id, page)
    return Kept(id=id)


@router.get("/searches")
def searches(library: InLibrary) -> list[SearchView]:
    """Saved searches."""
    return [SearchView(id=row.id, name=row.name, asked=row.asked) for row in keeping.searches(library)]


@router.post("/searches")
def keep_search(library: InLibrary, new: NewSearch) -> Kept:
    """Keep a search by name."""
    return Kept(id=keeping.keep_search(library, new.name, new.asked))


@router.delete("/searches/{id}")
def delete_search(library: InLibrary, page: InPage, id: int) -> Kept:
    """Forget a saved search."""
    keeping.forget(library, SavedSearch, id, page)
    return Kept(id=id)


@router.get("/fields")
def fields(library: InLibrary) -> list[FieldView]:
    """Fields of the user's own."""
    return [FieldView(name=name, kind=kind, options=options) for name, kind, options in keeping.fields(library)]


@router.put("/fields")
def put_field(library: InLibrary, field: FieldView) -> FieldView:
    """Add a field, or give a choice other options."""
    keeping.add_field(library, field.name, field.kind, field.options)
    return field


@router.delete("/fields")
def delete_field(library: InLibrary, name: Annotated[str, Query()]) -> Counted:
    """Delete a field."""
    keeping.drop_field(library, name)
    return Counted(count=1)


@router.get("/projects")
def projects(library: InLibrary) -> list[ProjectView]:
    """Projects of the library."""
    return [ProjectView.of(row) for row in keeping.projects(library)]


@router.post("/projects")
def add_project(library: InLibrary, new: NewProject) -> ProjectView:
    """Begin a project."""
    return ProjectView.of(keeping.add_project(library, new.name))


@router.put("/projects/{id}/settings")
def set_project(library: InLibrary, id: int, settings: ProjectSettings) -> ProjectView:
    """How a project counts."""
    return ProjectView.of(keeping.set_frame_rate(library, id, settings.frame_rate))
