"""Gather over HTTP: files in by path or sent by the browser, and files out."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field, ValidationError
from starlette.background import BackgroundTask

from oskren.api.common import InLibrary, InStudio, InUploads, Started, started
from oskren.api.doors import whole_path
from oskren.api.gather.sounds import Among, ids_of
from oskren.core.audio.formats import FORMATS
from oskren.core.errors import OskrenError
from oskren.core.nodes.heard import Heard
from oskren.core.ship.draft import OnSheet
from oskren.core.ship.target import Target
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.store.describe import keeping
from oskren.work.engine.studio import Studio
from oskren.work.gather import importing
from oskren.work.gather.uploads import Sending
from oskren.work.ship.export import EXPORT, export
from oskren.work.ship.export import Exporting as ExportAsked
from oskren.work.ship.items import items_of, made_items

router = APIRouter(prefix="/lib/{library}", tags=["gather"])


LONG_S = 600.0


class Exporting(Among):
    """Files out: sounds as they were heard and designs as they are, to a folder (the hand-over folder when none is given)."""

    designs: list[int] = Field([], max_length=500)
    folder: str = Field("", max_length=4000)
    target: Target | None = None
    heard: Heard = Heard()


class ToImport(BaseModel):
    """Paths on this machine."""

    paths: list[str] = Field(min_length=1)
    refer: bool = False


@router.post("/export")
def export_sounds(studio: InStudio, library: InLibrary, wanted: Exporting) -> Started:
    """Write sounds or a marked part to a folder, as a job; every file is read back and checked."""
    ids = ids_of(library, wanted)
    if not ids and not wanted.designs:
        raise OskrenError("No sounds are chosen to export; mark rows first.")
    folder = whole_path(wanted.folder or hand_over(studio, library), "the folder to write to")
    items = items_of(studio, library, ids, wanted.heard) + made_items(library, OnSheet(designs=wanted.designs))
    title = f"Exporting {items[0].name if len(items) == 1 else f'{len(items)} sounds'}"
    return started(studio.jobs.start(EXPORT, library, title, ExportAsked(items=items, target=wanted.target or Target(), folder=str(folder))))


def hand_over(studio: Studio, library: Library) -> str:
    """The folder another program watches: as set, or one in Oskren's own folder."""
    return str(keeping.setting(library, "hand over").get("folder") or studio.home.folder / "hand-over" / library.folder.name)


def heard_so(heard: Annotated[str, Query(max_length=60_000)] = "") -> Heard:
    """How sounds were heard, from a plain address: JSON, or nothing for dry."""
    try:
        return Heard.model_validate_json(heard) if heard else Heard()
    except ValidationError as error:
        raise OskrenError(f"How this was heard cannot be read ({error.errors()[0]['msg']}); choose it again.") from error


AsFormat = Annotated[str, Query(pattern="^(" + "|".join(FORMATS) + ")$")]

FILE: dict[int | str, dict[str, Any]] = {200: {"content": {"application/octet-stream": {}}}}


@router.get("/sounds/{id}/file", response_class=FileResponse, responses=FILE)
def sound_file(studio: InStudio, library: InLibrary, id: int, heard: Annotated[Heard, Depends(heard_so)], format: AsFormat = "wav") -> FileResponse:
    """A sound as it was heard, as a file: what is dragged out of the browser."""
    held = library.sound(id)
    if heard.dry and held.audio and not held.chain and held.frames / held.rate > LONG_S:
        # hours need not be rendered to be handed on: the file itself goes out
        whole = library.media(held.audio)
        return FileResponse(whole, filename=legal(held.name) + whole.suffix, media_type="application/octet-stream")
    folder, [path] = _rendered(studio, library, [id], heard, format)
    return FileResponse(path, filename=path.name, background=BackgroundTask(shutil.rmtree, folder, ignore_errors=True))


@router.get("/files.zip", response_class=FileResponse, responses={200: {"content": {"application/zip": {}}}})
def sound_files(
    studio: InStudio,
    library: InLibrary,
    ids: Annotated[str, Query(max_length=20_000, pattern=r"^\d{1,15}(,\d{1,15})*$")],
    heard: Annotated[Heard, Depends(heard_so)],
    format: AsFormat = "wav",
) -> FileResponse:
    """Several sounds as they were heard, each under its own name in one zip: what is dragged out of the browser when several rows are chosen."""
    wanted = list(dict.fromkeys(int(one) for one in ids.split(",")))
    folder, paths = _rendered(studio, library, wanted, heard.model_copy(update={"part": None}), format)
    packed = folder / "sounds.zip"
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as out:
        for path in paths:
            out.write(path, path.name)
    background = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(packed, filename=f"{len(paths)} sounds.zip", media_type="application/zip", background=background)


def _rendered(studio: Studio, library: Library, ids: list[int], heard: Heard, format_: str) -> tuple[Path, list[Path]]:
    """Sounds as files in a folder of their own; what goes over full scale stays float."""
    items = items_of(studio, library, ids, heard)
    folder = Path(tempfile.mkdtemp(prefix="out-", dir=studio.home.folder / "run"))
    try:
        paths: list[Path] = []
        floats = [item for id, item in zip(ids, items, strict=True) if library.sound(id).bits == 32 and 32 in FORMATS[format_].bits]
        for bits, some in ((32, floats), (24, [item for item in items if item not in floats])):
            made = export(studio, library, some, Target(format=format_, bits=bits), folder)
            paths += map(Path, made.files)
            loud = [item for item in some if item.sound in {str(one) for one in made.over}] if 32 in FORMATS[format_].bits else []
            if loud:
                paths += map(Path, export(studio, library, loud, Target(format=format_, bits=32), folder).files)
            left = [one for one in made.failed if len(loud) < len(made.failed)]
            if left:
                raise OskrenError(left[0]["reason"])
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return folder, paths


@router.post("/import")
def import_files(studio: InStudio, library: InLibrary, wanted: ToImport) -> Started:
    """Import files and folders of this machine, as a job."""
    paths = [whole_path(path, "what is to be imported") for path in wanted.paths]
    for path in paths:
        if not path.exists():
            raise OskrenError(f"{path}: there is no such file or folder; check the path.")
    name = ", ".join(path.name for path in paths[:3])
    asked = importing.Importing(paths=[str(path) for path in paths], name=name, refer=wanted.refer)
    return started(studio.jobs.start(importing.IMPORT, library, f"Importing {name}", asked))


class UploadBegun(BaseModel):
    upload: str


class UploadStored(BaseModel):
    """How many bytes a file has that has arrived."""

    bytes: int


@router.post("/uploads")
def begin_upload(library: InLibrary, uploads: InUploads, sending: Sending) -> UploadBegun:
    """Begin to send files. What has arrived is imported when the page ends the upload, or goes away."""
    return UploadBegun(upload=uploads.begin(sending.model_copy(update={"library": library.folder.name})))


@router.post("/uploads/{upload}/file")
async def send_file(
    library: InLibrary, uploads: InUploads, upload: str, path: Annotated[str, Query(min_length=1, max_length=4000)], request: Request
) -> UploadStored:
    """Store one file (the body, as it is) under its path; folders keep their names as words for the proposals."""
    return UploadStored(bytes=await uploads.store(upload, path, request.stream()))


@router.post("/uploads/{upload}/end")
def end_upload(studio: InStudio, library: InLibrary, uploads: InUploads, upload: str) -> Started:
    """Import what was sent, as a job."""
    job = uploads.end(studio, upload)
    if job is None:
        raise OskrenError("Nothing was sent: what was dropped holds no files.")
    return started(job)
