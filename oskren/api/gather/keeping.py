"""What a library keeps: categories, sets, saved searches, own fields, chains, projects, watched folders, backups."""

from __future__ import annotations

import asyncio
from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, Started, started
from oskren.api.doors import whole_path
from oskren.api.gather.sounds import Among, hand_over, numbers_of
from oskren.core.words.categories import Category
from oskren.store.describe import keeping, tree
from oskren.store.tables import SavedSearch, SoundSet
from oskren.work.gather import backup, importing, watching

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


class Counted(BaseModel):
    """How many sounds or rows a change touched."""

    count: int


class Table(BaseModel):
    """A table of categories as CSV; ``replace`` drops those that hold no sound."""

    csv: str = Field(max_length=8_000_000)
    replace: bool = False


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


class ProjectView(BaseModel):
    id: int
    name: str


class NewProject(BaseModel):
    name: str = Field(min_length=1, max_length=80)


class WatchedView(BaseModel):
    """A watched folder, which folders in it are left out, and what the last scan found."""

    path: str
    left_out: list[str] = []
    scanned: str = ""
    found: dict[str, int] = {}
    there: bool = True


class NewWatched(BaseModel):
    path: str = Field(min_length=1, max_length=4000)


class Settings(BaseModel):
    """Pinned folders stand first among the folders; the hand-over folder is watched by another program."""

    pinned: list[str] = []
    hand_over: str = ""


class Backup(BaseModel):
    """Where to write a backup of the library."""

    folder: str = Field(min_length=1, max_length=4000)


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


@router.get("/sets")
def sets(library: InLibrary) -> list[SetView]:
    """Every set."""
    return [SetView(id=number, name=name, sounds=count) for number, name, count in keeping.sets(library)]


@router.post("/sets")
def add_set(library: InLibrary, page: InPage, new: NewSet) -> Kept:
    """Begin a set, of chosen sounds or empty."""
    return Kept(id=keeping.add_set(library, new.name, numbers_of(library, new), page))


@router.patch("/sets/{number}")
def change_set(library: InLibrary, page: InPage, number: int, change: SetChange) -> Counted:
    """Rename a set, put sounds into it, move them in it, take them out."""
    if change.name is not None:
        keeping.keep_set(library, number, name=change.name, actor=page)
    wanted = numbers_of(library, change)
    if change.take_out:
        keeping.keep_set(library, number, sounds=[one for one in keeping.set_members(library, number) if one not in set(change.take_out)], actor=page)
    if wanted:
        keeping.put_in_set(library, number, wanted, change.before, page)
    return Counted(count=len(keeping.set_members(library, number)))


@router.delete("/sets/{number}")
def delete_set(library: InLibrary, page: InPage, number: int) -> Kept:
    """Delete a set; its sounds stay."""
    keeping.forget(library, SoundSet, number, page)
    return Kept(id=number)


@router.get("/searches")
def searches(library: InLibrary) -> list[SearchView]:
    """Saved searches."""
    return [SearchView(id=row.id, name=row.name, asked=row.asked) for row in keeping.searches(library)]


@router.post("/searches")
def keep_search(library: InLibrary, new: NewSearch) -> Kept:
    """Keep a search by name."""
    return Kept(id=keeping.keep_search(library, new.name, new.asked))


@router.delete("/searches/{number}")
def delete_search(library: InLibrary, page: InPage, number: int) -> Kept:
    """Forget a saved search."""
    keeping.forget(library, SavedSearch, number, page)
    return Kept(id=number)


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
    return [ProjectView(id=number, name=name) for number, name in keeping.projects(library)]


@router.post("/projects")
def add_project(library: InLibrary, new: NewProject) -> ProjectView:
    """Begin a project."""
    return ProjectView(id=keeping.add_project(library, new.name), name=new.name.strip())


@router.get("/watched")
def watched(library: InLibrary) -> list[WatchedView]:
    """Watched folders."""
    rows = keeping.watched(library)
    return [WatchedView(path=row.path, left_out=row.left_out, scanned=row.scanned, found=row.found, there=Path(row.path).is_dir()) for row in rows]


@router.post("/watched")
def watch(studio: InStudio, library: InLibrary, new: NewWatched) -> Started:
    """Watch a folder and scan it, as a job."""
    path = whole_path(new.path, "the folder to watch")
    watching.watch(library, path)
    return rescan(studio, library, str(path.resolve()))


@router.patch("/watched")
def change_watched(library: InLibrary, change: WatchedView) -> WatchedView:
    """Say which folders inside a watched one are left out."""
    watching.leave_out(library, change.path, change.left_out)
    return change


@router.delete("/watched")
def unwatch(library: InLibrary, path: Annotated[str, Query()]) -> Counted:
    """Stop watching a folder; its sounds stay."""
    watching.unwatch(library, path)
    return Counted(count=1)


@router.post("/watched/rescan")
def rescan(studio: InStudio, library: InLibrary, path: Annotated[str, Query()]) -> Started:
    """Find what is new, missing or moved in a watched folder, as a job."""
    return started(studio.jobs.start(watching.RESCAN, library, f"Scanning {Path(path).name}", watching.Scanning(path=path)))


@router.get("/settings")
def settings(studio: InStudio, library: InLibrary) -> Settings:
    """Pinned folders and the hand-over folder."""
    return Settings(pinned=keeping.setting(library, "pinned").get("folders", []), hand_over=hand_over(studio, library))


@router.put("/settings")
def keep_settings(studio: InStudio, library: InLibrary, wanted: Settings) -> Settings:
    """Pin folders; choose the hand-over folder (empty: one in Oskren's own folder)."""
    folder = str(whole_path(wanted.hand_over, "the hand-over folder")) if wanted.hand_over else ""
    keeping.keep_setting(library, "pinned", {"folders": wanted.pinned})
    keeping.keep_setting(library, "hand over", {"folder": folder})
    return settings(studio, library)


@router.post("/backup")
def back_up(studio: InStudio, library: InLibrary, wanted: Backup) -> Started:
    """Write the whole library into one file of a folder, as a job."""
    folder = whole_path(wanted.folder, "the folder for the backup")
    return started(studio.jobs.start(backup.BACK_UP, library, f"Backing up {library.name}", backup.BackingUp(folder=str(folder))))


async def rescan_all(studio: Any) -> None:
    """At start: look at every watched folder that is there, and go on with measures an earlier run left."""
    await asyncio.sleep(0.5)
    for name in studio.home.names():
        library = studio.home.library(name)
        paths = [row.path for row in keeping.watched(library) if Path(row.path).is_dir()]
        for path in paths:
            rescan(studio, library, path)
        if not paths:
            importing.begin_follow_up(studio, library)
