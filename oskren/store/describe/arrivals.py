"""Notes on arrivals: where and how something was recorded. Every sound of the arrival has them and is found by them."""

from __future__ import annotations

import hashlib
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select, text

from oskren.core.audio.replacing import replacing
from oskren.core.errors import NotFound, OskrenError
from oskren.store.library import Library
from oskren.store.tables import Arrival, Sound

PICTURES = {b"\xff\xd8\xff": ".jpg", b"\x89PNG\r\n\x1a\n": ".png", b"RIFF": ".webp"}
LARGEST_PHOTO = 25 << 20
MOST_PHOTOS = 200
MOST_TOLD = 200


Line = Annotated[str, Field(max_length=400)]
Lines = Annotated[str, Field(max_length=1000)]
Text = Annotated[str, Field(max_length=8000)]


class ArrivalNotes(BaseModel):
    """What was noted when something was recorded."""

    model_config = ConfigDict(extra="forbid")

    place: Line = ""
    microphone: Line = ""
    props: Lines = ""
    weather: Line = ""
    permission: Lines = ""
    notes: Text = ""

    def said(self) -> dict[str, str]:
        """What is filled in."""
        return {name: said.strip() for name, said in self.model_dump().items() if said.strip()}


class NotesChange(BaseModel):
    """What is noted otherwise; what is not named stays as it is."""

    model_config = ConfigDict(extra="forbid")

    place: Line | None = None
    microphone: Line | None = None
    props: Lines | None = None
    weather: Line | None = None
    permission: Lines | None = None
    notes: Text | None = None


def _of(session: Any, id: int) -> Arrival:
    row = session.get(Arrival, id)
    if row is None:
        raise NotFound(f"There is no arrival {id} in this library.")
    found: Arrival = row
    return found


def counted(library: Library, only: int | None = None) -> list[tuple[Arrival, int]]:
    """The newest arrivals, or one of them, each with how many of its sounds are there; those that left nothing behind are not among them."""
    with library.reading() as session:
        sounds = select(Sound.arrival_id, func.count(Sound.id)).where(Sound.trashed.is_(None)).group_by(Sound.arrival_id)
        query = select(Arrival).order_by(Arrival.id.desc()).limit(MOST_TOLD)
        if only is not None:
            sounds, query = sounds.where(Sound.arrival_id == only), query.where(Arrival.id == only)
        counts = dict(session.execute(sounds).all())
        rows = session.scalars(query).all()
    return [(row, counts.get(row.id, 0)) for row in rows if counts.get(row.id) or row.skipped or row.id == only]


def notes_of(library: Library, id: int | None) -> ArrivalNotes:
    """The notes of an arrival; empty ones when there is none."""
    with library.reading() as session:
        row = session.get(Arrival, id) if id is not None else None
        return ArrivalNotes.model_validate(row.notes or {}) if row is not None else ArrivalNotes()


def describe(library: Library, id: int, notes: ArrivalNotes | NotesChange | None = None, name: str | None = None) -> int:
    """Write an arrival's notes, all of them or what changed, or its name; its sounds are found by the new words at once. How many sounds that are.

    The words stand once, with the arrival: notes on a hundred thousand sounds are written as fast as on one.
    """
    with library.writing() as session:
        row = _of(session, id)
        if name is not None and name.strip():
            row.name = name.strip()
        if isinstance(notes, NotesChange):
            notes = ArrivalNotes.model_validate({**(row.notes or {}), **notes.model_dump(exclude_none=True)})
        if notes is not None:
            row.notes = notes.said()
            session.execute(text("DELETE FROM arrival_words WHERE rowid = :id"), {"id": id})
            if row.notes:
                said = " ".join(row.notes.values())
                session.execute(text("INSERT INTO arrival_words(rowid, words) VALUES (:id, :words)"), {"id": id, "words": said})
        sounds = session.scalar(select(func.count()).select_from(Sound).where(Sound.arrival_id == id, Sound.trashed.is_(None))) or 0
    library.columns.touch_notes()
    return sounds


# ---- photos


def ending_of(data: bytes) -> str:
    """The ending of a picture by its first bytes; empty when it is no JPEG, PNG or WebP."""
    ending = next((ending for magic, ending in PICTURES.items() if data.startswith(magic)), "")
    return "" if ending == ".webp" and data[8:12] != b"WEBP" else ending


def add_photo(library: Library, id: int, name: str, data: bytes) -> str:
    """Keep a photo with an arrival; the name of its file.

    Raises
    ------
    OskrenError
        When it is no JPEG, PNG or WebP picture, or too large.
    """
    ending = ending_of(data)
    if not ending:
        raise OskrenError(f"{name}: is no picture Oskren can show; give a JPEG, PNG or WebP file.")
    if len(data) > LARGEST_PHOTO:
        raise OskrenError(f"{name}: is larger than {LARGEST_PHOTO >> 20} MB; make the photo smaller first.")
    with library.reading() as session:
        _of(session, id)
    file = hashlib.blake2b(data, digest_size=16).hexdigest() + ending
    with replacing(library.folder / "photos" / file) as temporary:
        temporary.write_bytes(data)
    with library.writing() as session:
        row = _of(session, id)
        if len(row.photos) >= MOST_PHOTOS:
            raise OskrenError(f"An arrival can have {MOST_PHOTOS} photos; take some away first.")
        row.photos = [*(photo for photo in row.photos if photo["file"] != file), {"file": file, "name": name[:200]}]
    return file


def drop_photo(library: Library, id: int, file: str) -> None:
    """Take a photo from an arrival; its file goes when no other arrival shows it."""
    with library.writing() as session:
        row = _of(session, id)
        if all(photo["file"] != file for photo in row.photos):
            raise NotFound(f"There is no photo {file} with this arrival.")
        row.photos = [photo for photo in row.photos if photo["file"] != file]
        session.flush()
        held = any(photo["file"] == file for photos in session.scalars(select(Arrival.photos)) for photo in photos)
    if not held:
        (library.folder / "photos" / file).unlink(missing_ok=True)
