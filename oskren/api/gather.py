"""Gather: import, record, describe, search."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, File, Query, Request, UploadFile
from pydantic import BaseModel, Field
from sqlalchemy import func, select

from oskren.api.common import InLibrary, InStudio, InTakes, SoundFacts, SoundRow, Started, facts_of, row_of, started
from oskren.core.errors import OskrenError
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.store.tables import Arrival, Sound
from oskren.work.importing import import_paths
from oskren.work.jobs import Job
from oskren.work.studio import Studio

router = APIRouter(prefix="/lib/{library}", tags=["gather"])


class Page(BaseModel):
    """One page of the table, and the counts of every facet within the other chosen facets."""

    total: int
    rows: list[SoundRow]
    facets: dict[str, dict[str, int]]


class ArrivalView(BaseModel):
    id: int
    name: str
    created: str
    sounds: int
    skipped: list[dict[str, str]]


class ToImport(BaseModel):
    """Paths on this machine."""

    paths: list[str] = Field(min_length=1)
    refer: bool = False


class Change(BaseModel):
    """Fields of a sound to change; what is left out stays."""

    name: str | None = Field(None, min_length=1, max_length=400)
    category: str | None = Field(None, max_length=200)
    tags: str | None = Field(None, max_length=1000)
    rating: int | None = Field(None, ge=0, le=5)
    notes: str | None = Field(None, max_length=20_000)
    anchor_s: float | None = Field(None, ge=0)
    anchor_kind: Literal["hit", "top", "end", "start"] | None = None


class NewTake(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    rate: int
    channels: int
    bits: Literal[24, 32] = 24


class TakeBegun(BaseModel):
    take: str


class TakeStored(BaseModel):
    frames: int


class TakeDone(BaseModel):
    name: str
    seconds: float
    imported: int
    arrival: int


@router.get("/sounds")
def sounds(
    library: InLibrary,
    q: str = "",
    sort: str = "name",
    descending: bool = False,
    offset: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
    category: Annotated[list[str] | None, Query()] = None,
    kind: Annotated[list[str] | None, Query()] = None,
    arrival: Annotated[list[str] | None, Query()] = None,
    channels: Annotated[list[float] | None, Query()] = None,
    rate: Annotated[list[float] | None, Query()] = None,
) -> Page:
    """Search, filter and sort the sounds."""
    facets = {
        "category": category or [],
        "kind": kind or [],
        "arrival": arrival or [],
        "channels": [str(c) for c in channels or []],
        "rate": [str(r) for r in rate or []],
    }
    with library.reading() as session:
        total, numbers, counts = library.columns.search(session, q, facets, sort, descending, offset, limit)
        found = {sound.id: sound for sound in session.scalars(select(Sound).where(Sound.id.in_(numbers)))}
    return Page(total=total, rows=[row_of(found[number]) for number in numbers if number in found], facets=counts)


@router.get("/sounds/{number}")
def sound(library: InLibrary, number: int) -> SoundFacts:
    """Everything known of one sound."""
    return facts_of(library, library.sound(number))


@router.patch("/sounds/{number}")
def change_sound(library: InLibrary, number: int, change: Change) -> SoundFacts:
    """Describe a sound; the audio stays as it is."""
    given = change.model_dump(exclude_none=True)
    values: dict[str, Any] = {name: value for name, value in given.items() if not name.startswith("anchor")}
    if "category" in values:
        values["category_sure"] = 1.0
    if "anchor_s" in given or "anchor_kind" in given:
        before = library.sound(number)
        if given.get("anchor_s", 0) > before.frames / before.rate:
            raise OskrenError(f"{before.name} is {before.frames / before.rate:.3f} s long; its anchor must lie inside it.")
        values["measures"] = {**before.measures, **{name: value for name, value in given.items() if name.startswith("anchor")}}
    return facts_of(library, library.change(number, values))


@router.get("/arrivals")
def arrivals(library: InLibrary) -> list[ArrivalView]:
    """Everything that came in, newest first, with what was skipped and why."""
    with library.reading() as session:
        counts = dict(session.execute(select(Sound.arrival_id, func.count(Sound.id)).group_by(Sound.arrival_id)).all())
        rows = session.scalars(select(Arrival).order_by(Arrival.id.desc()).limit(200)).all()
        return [
            ArrivalView(id=row.id, name=row.name, created=row.created, sounds=counts.get(row.id, 0), skipped=row.skipped)
            for row in rows
            if counts.get(row.id) or row.skipped
        ]


def _import_job(studio: Studio, library: Library, paths: list[Path], name: str, refer: bool, afterwards: Path | None = None) -> Job:
    def work(job: Job) -> dict[str, Any]:
        try:
            result = import_paths(studio, library, paths, name, refer=refer, told=job.progress)
        finally:
            if afterwards is not None:
                shutil.rmtree(afterwards, ignore_errors=True)
        return {"arrival": result.arrival, "imported": result.imported, "already_there": result.already_there, "skipped": result.skipped}

    return studio.jobs.start("import", f"Importing {name}", work)


@router.post("/import")
def import_files(studio: InStudio, library: InLibrary, wanted: ToImport) -> Started:
    """Import files and folders of this machine, as a job."""
    paths = [Path(path).expanduser() for path in wanted.paths]
    for path in paths:
        if not path.is_absolute():
            raise OskrenError(f"{path}: give the whole path, from the root of the disk.")
        if not path.exists():
            raise OskrenError(f"{path}: there is no such file or folder; check the path.")
    return started(_import_job(studio, library, paths, ", ".join(path.name for path in paths[:3]), wanted.refer))


@router.post("/upload")
def upload(studio: InStudio, library: InLibrary, files: Annotated[list[UploadFile], File()], name: str = "dropped files") -> Started:
    """Import files sent by the browser (drag and drop); folders keep their names as words for the proposals."""
    folder = Path(tempfile.mkdtemp(prefix="upload-", dir=studio.home.folder / "run"))
    try:
        for file in files:
            parts = [legal(part) for part in (file.filename or "unnamed").split("/") if part.strip(". ")]
            target = folder.joinpath(*(parts or ["unnamed"]))
            target.parent.mkdir(parents=True, exist_ok=True)
            with open(target, "wb") as out:
                shutil.copyfileobj(file.file, out, 1 << 20)
    except OSError as error:
        shutil.rmtree(folder, ignore_errors=True)
        raise OskrenError(f"The files could not be stored ({error.strerror}); free some space on Oskren's disk and drop them again.") from error
    return started(_import_job(studio, library, [folder], name, False, afterwards=folder))


@router.post("/takes")
def begin_take(library: InLibrary, takes: InTakes, new: NewTake) -> TakeBegun:
    """Begin a recording; its audio is stored as it arrives."""
    return TakeBegun(take=takes.begin(library.folder.name, new.name, new.rate, new.channels, new.bits))


@router.post("/takes/{take}/blocks")
async def add_to_take(takes: InTakes, take: str, position: Annotated[int, Query(ge=0)], request: Request) -> TakeStored:
    """Store a block of raw float32 at a frame position."""
    return TakeStored(frames=takes.add(take, position, await request.body()))


@router.post("/takes/{take}/finish")
def finish_take(studio: InStudio, takes: InTakes, take: str) -> TakeDone:
    """End a recording (or one that a closed tab left): it becomes a sound of its library."""
    return TakeDone.model_validate(takes.finish(studio, take))
