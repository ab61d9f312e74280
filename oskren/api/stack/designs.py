"""Designs: kept as they are now, in versions, and as bundles."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, File, Query, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask

from oskren.api.asking import InQuestion
from oskren.api.common import InLibrary, InPage, InStudio, changed
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.api.stack.told import AMix, mix_of
from oskren.core import bundle
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Mix
from oskren.core.nodes.walk import sounding
from oskren.core.stack.difference import differences
from oskren.core.stack.edits import Edit, edited
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.store.documents import designs as kept
from oskren.store.documents import versions as keeping
from oskren.store.search.rows import small
from oskren.store.tables import Design, Version
from oskren.work.engine import tasks
from oskren.work.engine.studio import Studio
from oskren.work.stack import bundles

router = APIRouter(prefix="/lib/{library}", tags=["stack"])


class DesignView(BaseModel):
    id: int
    name: str
    mix: Mix
    created: str
    project: int
    revision: int = 0


class NewDesign(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    mix: Mix = Mix()
    project: int | None = None


class DesignNow(BaseModel):
    """A design as it is to be kept: its mix whole, or by the digest it was told under."""

    name: str = Field(min_length=1, max_length=200)
    mix: AMix


class DesignKept(BaseModel):
    """The new revision of a design."""

    revision: int


class DesignPicture(BaseModel):
    """How long a design sounds (s), and its small waveform; empty when nothing of it is heard."""

    seconds: float
    outline: str


class VersionView(BaseModel):
    """A kept state of a design: its loudness (LUFS) and length, and its small waveform."""

    id: int
    name: str
    notes: str
    created: str
    mix: Mix
    lufs: float | None
    seconds: float
    outline: str


class NewVersion(BaseModel):
    name: str = Field("", max_length=200)
    notes: str = Field("", max_length=4000)
    mix: Mix


class VersionChange(BaseModel):
    """What a version is called and what is noted of it; None leaves that as it is."""

    name: str | None = Field(None, max_length=200)
    notes: str | None = Field(None, max_length=4000)


class TwoMixes(BaseModel):
    before: Mix
    after: Mix


@router.get("/designs")
def designs(library: InLibrary) -> list[DesignView]:
    """All designs."""
    return [_view(row) for row in kept.designs(library)]


def _view(row: Design) -> DesignView:
    return DesignView(id=row.id, name=row.name, mix=Mix.model_validate(row.mix), created=row.created, project=row.project, revision=row.revision or 0)


@router.post("/designs")
def add_design(library: InLibrary, new: NewDesign) -> DesignView:
    """Begin a design."""
    return _view(kept.add(library, new.name, new.mix, new.project or 1))


def _keep(studio: Studio, library: Library, id: int, now: DesignNow, based_on: int | None) -> Kept:
    return Kept(kept.save(library, id, now.name, mix_of(studio, now.mix), based_on).revision or 0)


def _now(studio: Studio, library: Library, id: int) -> DesignNow:
    row, mix = kept.design(library, id)
    return DesignNow(name=row.name, mix=mix)


DESIGN: Kind[DesignNow] = Kind(
    name="design",
    body=DesignNow,
    shown=DesignView,
    read=_now,
    keep=_keep,
    view=lambda _, library, id, __: _view(kept.design(library, id)[0]),
    answer=DesignKept,
    saved=lambda one: DesignKept(revision=one.revision),
)
"""A design: its name, and its mix whole or by the digest it was told under."""

serve(router, "/designs/{id}", DESIGN)


class Editing(BaseModel):
    """One edit of a design."""

    edit: Edit


@router.post("/designs/{id}/edit")
def edit_design(studio: InStudio, library: InLibrary, page: InPage, id: int, wanted: Editing) -> DesignView:
    """Edit a design as it is now, whoever has it open: add, set, group, move, copy or take out layers."""
    row = kept.change(library, id, lambda mix: edited(mix, wanted.edit))
    changed(studio, library, page, "design", id)
    return _view(row)


@router.get("/designs/{id}/picture")
async def picture(question: InQuestion, library: InLibrary, id: int) -> DesignPicture:
    """What a design looks like in a list."""
    mix = kept.design(library, id)[1]
    if not sounding(mix):
        return DesignPicture(seconds=0.0, outline="")
    seconds, outline = await question.answered(tasks.picture, await question.present(mix))
    return DesignPicture(seconds=seconds, outline=small(outline))


@router.get("/designs/{id}/versions")
def versions(library: InLibrary, id: int) -> list[VersionView]:
    """Kept versions, the oldest first."""
    return [_version(row) for row in keeping.versions(library, Version, id)]


def _version(row: Version) -> VersionView:
    facts: dict[str, Any] = row.facts
    return VersionView(
        id=row.id,
        name=row.name,
        notes=row.notes,
        created=row.created,
        mix=Mix.model_validate(row.mix),
        lufs=facts.get("lufs"),
        seconds=facts.get("seconds", 0.0),
        outline=small(row.outline),
    )


@router.post("/designs/{id}/versions")
def keep_version(studio: InStudio, library: InLibrary, id: int, new: NewVersion) -> VersionView:
    """Keep a state of a design by name, measured so that it can be compared at matched loudness."""
    kept.design(library, id)
    facts, outline = dict[str, Any](), b""
    if sounding(new.mix):
        found = studio.facts(library, new.mix)
        facts, outline = {"lufs": found["measures"]["integrated_lufs"], "seconds": found["frames"] / found["rate"]}, found["outline"]
    return _version(keeping.keep(library, Version, id, new.name, new.notes, mix=new.mix.model_dump(mode="json"), facts=facts, outline=outline))


@router.patch("/versions/{id}")
def change_version(library: InLibrary, id: int, change: VersionChange) -> VersionView:
    """Another name or other notes."""
    return _version(keeping.change(library, Version, id, change.name, change.notes))


@router.post("/stack/difference")
def difference(library: InLibrary, two: TwoMixes) -> list[str]:
    """What sets two states of a design apart, in words."""
    return differences(two.before, two.after)


@router.get("/designs/{id}/bundle", response_class=FileResponse, responses={200: {"content": {"application/zip": {}}}})
def save_bundle(library: InLibrary, id: int) -> FileResponse:
    """The design with its audio as one file."""
    row, mix = kept.design(library, id)
    folder = Path(tempfile.mkdtemp(prefix="oskren-"))
    path = folder / "design.zip"
    try:
        bundle.save(path, row.name, mix, library.media)
    except OskrenError:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return FileResponse(
        path, filename=legal(row.name) + ".zip", media_type="application/zip", background=BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    )


@router.post("/bundles")
def load_bundle(studio: InStudio, library: InLibrary, file: UploadFile = File(), project: Annotated[int, Query(ge=1)] = 1) -> DesignView:
    """Take a bundle into this library: its sounds become sounds here, its design a design of a project."""
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        path = Path(folder) / "bundle.zip"
        with open(path, "wb") as out:
            shutil.copyfileobj(file.file, out, 1 << 20)
        return _view(bundles.take_in(studio, library, path, file.filename or "the bundle", project))
