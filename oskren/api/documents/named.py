"""What can be done with every document that has a name: another name, a copy, the trash and back."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InPage, InStudio, changed
from oskren.store import Library
from oskren.store.describe import describing
from oskren.store.documents import trash
from oskren.store.documents.trash import Kind, PutAway
from oskren.work.engine.studio import Studio

router = APIRouter(prefix="/lib/{library}", tags=["documents"])


class Named(BaseModel):
    """What a document is called."""

    name: str = Field(max_length=trash.LONGEST_NAME)


class Copied(BaseModel):
    """The id of a copy."""

    id: int


class Emptied(BaseModel):
    """What emptying the trash did: how many sounds and how many documents are gone, and why others stay."""

    gone: int
    documents: int
    stays: list[str]


def _tell(studio: Studio, library: Library, page: str, what: PutAway) -> PutAway:
    changed(studio, library, page, what.kind, what.id)
    for project in what.sheets:
        changed(studio, library, "", "sheet", project)
    return what


@router.get("/trash")
def documents_in_trash(library: InLibrary) -> list[PutAway]:
    """Designs, versions, reels and saved chains in the trash, what was put there last first."""
    return trash.in_trash(library)


@router.delete("/documents/{kind}/{id}")
def put_away(studio: InStudio, library: InLibrary, page: InPage, kind: Kind, id: int) -> PutAway:
    """Put a document into the trash, with all that is its own."""
    return _tell(studio, library, page, trash.put_away(library, kind, id))


@router.post("/documents/{kind}/{id}/back")
def bring_back(studio: InStudio, library: InLibrary, page: InPage, kind: Kind, id: int) -> PutAway:
    """Take a document out of the trash."""
    return _tell(studio, library, page, trash.bring_back(library, kind, id))


@router.put("/documents/{kind}/{id}/name")
def rename(studio: InStudio, library: InLibrary, page: InPage, kind: Kind, id: int, wanted: Named) -> Named:
    """Give a document another name; an empty one leaves it as it is."""
    name = trash.rename(library, kind, id, wanted.name)
    changed(studio, library, page, kind, id)
    return Named(name=name)


@router.post("/documents/{kind}/{id}/copy")
def duplicate(studio: InStudio, library: InLibrary, page: InPage, kind: Literal["design", "reel", "scene"], id: int) -> Copied:
    """Make another design, reel or scene like this one, beside it."""
    made = trash.duplicate(library, kind, id)
    changed(studio, library, page, kind, made)
    return Copied(id=made)


@router.post("/trash/empty")
def empty_trash(library: InLibrary) -> Emptied:
    """Delete what lies in the trash for good; a sound that is used stays."""
    documents = trash.empty(library)
    gone, stays = describing.empty_trash(library)
    return Emptied(gone=gone, documents=documents, stays=stays)
