"""Arrivals with their notes and photos, and excerpts of sounds."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, File, Query, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio
from oskren.core.errors import NotFound
from oskren.store.describe import arrivals as keeping_arrivals
from oskren.store.describe.arrivals import ArrivalNotes, NotesChange
from oskren.work.gather import excerpts
from oskren.work.gather.excerpts import Cut, Part

router = APIRouter(prefix="/lib/{library}", tags=["arrivals"])

PHOTO_TYPES = {".jpg": "image/jpeg", ".png": "image/png", ".webp": "image/webp"}


class PhotoView(BaseModel):
    """A photo of an arrival: its file, and what it was called."""

    file: str
    name: str


class ArrivalView(BaseModel):
    """Something that came in, newest first."""

    id: int
    name: str
    created: str
    sounds: int
    skipped: list[dict[str, str]]
    notes: ArrivalNotes
    photos: list[PhotoView]


class NewArrival(BaseModel):
    """A recording session that is about to begin."""

    name: str = Field(min_length=1, max_length=300)
    notes: ArrivalNotes = ArrivalNotes()


class ArrivalChange(BaseModel):
    name: str | None = Field(None, max_length=300)
    notes: NotesChange | None = None


class ArrivalKept(BaseModel):
    """An arrival, and how many sounds have its notes."""

    id: int
    sounds: int


class Cutting(BaseModel):
    """Parts of a sound to make excerpts, and tags for all of them."""

    parts: list[Part] = Field(min_length=1, max_length=excerpts.MOST_PARTS)
    tags: str = Field("", max_length=1000)


class CutDone(BaseModel):
    """The new excerpts and their names."""

    ids: list[int]
    names: list[str]


@router.get("/arrivals")
def arrivals(library: InLibrary, only: int | None = None) -> list[ArrivalView]:
    """Everything that came in, newest first, with its notes and what was skipped and why; or one of them."""
    return [
        ArrivalView(
            id=row.id,
            name=row.name,
            created=row.created,
            sounds=count,
            skipped=row.skipped,
            notes=ArrivalNotes.model_validate(row.notes or {}),
            photos=[PhotoView(**photo) for photo in row.photos],
        )
        for row, count in keeping_arrivals.counted(library, only)
    ]


@router.post("/arrivals")
def begin_arrival(library: InLibrary, new: NewArrival) -> ArrivalKept:
    """Begin an arrival that takes will join."""
    id = library.arrival(new.name.strip())
    keeping_arrivals.describe(library, id, new.notes)
    return ArrivalKept(id=id, sounds=0)


@router.patch("/arrivals/{id}")
def describe_arrival(library: InLibrary, id: int, change: ArrivalChange) -> ArrivalKept:
    """Write an arrival's notes or name; its sounds have them at once."""
    return ArrivalKept(id=id, sounds=keeping_arrivals.describe(library, id, change.notes, change.name))


@router.post("/arrivals/{id}/photos")
def add_photos(library: InLibrary, id: int, files: Annotated[list[UploadFile], File()]) -> list[PhotoView]:
    """Keep photos with an arrival."""
    kept = []
    for file in files[: keeping_arrivals.MOST_PHOTOS]:
        name = file.filename or "photo"
        kept.append(PhotoView(file=keeping_arrivals.add_photo(library, id, name, file.file.read(keeping_arrivals.LARGEST_PHOTO + 1)), name=name))
    return kept


@router.delete("/arrivals/{id}/photos")
def drop_photo(library: InLibrary, id: int, file: Annotated[str, Query(max_length=80)]) -> ArrivalKept:
    """Take a photo from an arrival."""
    keeping_arrivals.drop_photo(library, id, file)
    return ArrivalKept(id=id, sounds=0)


@router.get("/photos/{file}", response_class=FileResponse, responses={200: {"content": {"image/*": {}}}})
def photo(library: InLibrary, file: str) -> FileResponse:
    """A photo."""
    folder = library.folder / "photos"
    path = (folder / file).resolve()
    kind = PHOTO_TYPES.get(path.suffix)
    if kind is None or path.parent != folder.resolve() or not path.is_file() or path.name.startswith("."):
        raise NotFound(f"There is no photo {file[:80]} in this library.")
    with open(path, "rb") as stream:
        if keeping_arrivals.ending_of(stream.read(16)) != path.suffix:
            raise NotFound(f"There is no photo {file[:80]} in this library; the file of that name is no picture.")
    return FileResponse(path, media_type=kind, headers={"Cache-Control": "max-age=31536000, immutable"})


@router.get("/sounds/{id}/excerpts")
def excerpts_of(library: InLibrary, id: int) -> list[Cut]:
    """The excerpts of a sound, in the order they lie in it."""
    library.sound(id)
    return excerpts.cuts(library, id)


@router.post("/sounds/{id}/excerpts")
def cut_excerpts(studio: InStudio, library: InLibrary, page: InPage, id: int, cutting: Cutting) -> CutDone:
    """Make marked parts of a sound entries of the library."""
    made = excerpts.cut(studio, library, id, cutting.parts, cutting.tags, page)
    return CutDone(ids=made, names=[library.sound(one).name for one in made])
