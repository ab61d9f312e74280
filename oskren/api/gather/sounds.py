"""Gather: import, describe, search, export."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Depends, Query, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field, ValidationError
from pydantic_core import to_json
from starlette.background import BackgroundTask

from oskren.api.common import InLibrary, InPage, InStudio, InUploads, SoundFacts, SoundRow, Started, facts_of, started
from oskren.api.doors import whole_path
from oskren.core.errors import OskrenError
from oskren.core.nodes.heard import Heard
from oskren.core.ship.sheet import Target
from oskren.core.words.conditions import Search, checked, parse, write
from oskren.core.words.names import legal
from oskren.store import Library
from oskren.store.describe import describing, keeping, undoing
from oskren.store.describe.describing import Change
from oskren.store.search.asking import Asked
from oskren.store.search.rows import rows_of
from oskren.work.engine.studio import Studio
from oskren.work.gather import importing
from oskren.work.gather.uploads import Sending
from oskren.work.ship.export import EXPORT, export
from oskren.work.ship.export import Exporting as ExportAsked
from oskren.work.ship.items import items_of

router = APIRouter(prefix="/lib/{library}", tags=["gather"])
LONG_S = 600.0


class Page(BaseModel):
    """One page of the table, and the counts of every facet within the other chosen facets.

    ``search`` is the search as it was understood, ``text`` its text form.
    """

    total: int
    rows: list[SoundRow]
    facets: dict[str, dict[str, int]]
    search: Search
    text: str


class Wanted(BaseModel):
    """A question to the table; also says which sounds a change in bulk is for.

    ``q`` is the search as text (words, then ``where`` and conditions), ``facets`` values by field, ``like`` a sound the
    others are ranked by, ``sort`` a column or ``set:`` with the number of a set.
    """

    q: str = Field("", max_length=4000)
    facets: dict[str, list[str]] = {}
    sort: str = "name"
    descending: bool = False
    offset: int = Field(0, ge=0)
    limit: int = Field(100, ge=1, le=500)
    like: int | None = None
    trash: bool = False
    project: int = 1


class Among(BaseModel):
    """Sounds that something is done to: given one by one, or everything a question finds."""

    ids: list[int] = Field([], max_length=250_000)
    all_of: Wanted | None = None


class Editing(Among):
    """A change of many sounds."""

    change: Change


class Changed(BaseModel):
    """How many sounds were changed, and what the change is called in the undo."""

    count: int
    edit: int
    used: dict[str, list[str]] = {}
    """Of sounds put into the trash: what they are used in, by the sound's name. It goes on sounding."""


class Undone(BaseModel):
    """What was taken back or done again."""

    title: str


class Anchoring(Among):
    """Propose anchors anew: of a kind, or of the kind that fits each."""

    kind: Literal["", "hit", "top", "end", "start"] = ""


class UseView(BaseModel):
    """Where a sound is used."""

    what: str
    item: int
    name: str
    project: str


class Emptied(BaseModel):
    """What emptying the trash did: how many sounds are gone, and why others stay."""

    gone: int
    stays: list[str]


class Exporting(Among):
    """Files out: sounds as they were heard, to a folder (the hand-over folder when none is given)."""

    folder: str = Field("", max_length=4000)
    target: Target = Target()
    heard: Heard = Heard()


class ToImport(BaseModel):
    """Paths on this machine."""

    paths: list[str] = Field(min_length=1)
    refer: bool = False


def asked_of(library: Library, wanted: Wanted) -> tuple[Search, Asked]:
    """A question with its text understood."""
    own = {name: kind for name, kind, _ in keeping.fields(library)}
    search = parse(wanted.q, own)  # type: ignore[arg-type]
    return search, Asked(
        words=search.words,
        conditions=search.conditions,
        facets={name: values for name, values in wanted.facets.items() if values},
        sort=wanted.sort,
        descending=wanted.descending,
        offset=wanted.offset,
        limit=wanted.limit,
        like=wanted.like,
        trash=wanted.trash,
        project=wanted.project,
    )


def numbers_of(library: Library, among: Among) -> list[int]:
    """The sounds something is done to."""
    if among.all_of is None:
        return list(dict.fromkeys(among.ids))
    with library.reading() as session:
        return library.columns.all_ids(session, asked_of(library, among.all_of)[1])


@router.post("/search", response_model=Page)
def search_sounds(library: InLibrary, wanted: Wanted) -> Response:
    """Search, filter and sort the sounds."""
    search, asked = asked_of(library, wanted)
    with library.reading() as session:
        found = library.columns.search(session, asked)
        shown = rows_of(session, found.ids, library.columns.strength_of(found.ids))
    # written here: checking a hundred rows again on their way out would take as long as finding them
    page = {"total": found.total, "rows": shown, "facets": found.facets, "search": search.model_dump(), "text": write(search)}
    return Response(to_json(page), media_type="application/json")


@router.get("/sounds", response_model=Page)
def sounds(
    library: InLibrary,
    q: str = "",
    sort: str = "name",
    descending: bool = False,
    offset: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> Response:
    """The table by a plain address: what ``POST /search`` gives without facets."""
    return search_sounds(library, Wanted(q=q, sort=sort, descending=descending, offset=offset, limit=limit))


@router.post("/search/text")
def search_as_text(library: InLibrary, search: Search) -> Undone:
    """The text form of a search made with the builder; says what does not go together."""
    own = {name: kind for name, kind, _ in keeping.fields(library)}
    for condition in search.conditions:
        checked(condition, own)  # type: ignore[arg-type]
    return Undone(title=write(search))


@router.get("/sounds/{number}")
def sound(library: InLibrary, number: int) -> SoundFacts:
    """Everything known of one sound."""
    return facts_of(library, library.sound(number))


@router.patch("/sounds/{number}")
def change_sound(library: InLibrary, page: InPage, number: int, change: Change) -> SoundFacts:
    """Describe a sound; the audio stays as it is."""
    before = library.sound(number)
    describing.edit(library, [number], change, f"{before.name}: {_named(change)}", actor=page)
    return facts_of(library, library.sound(number))


def _named(change: Change) -> str:
    return ", ".join(name.replace("_", " ") for name in change.model_dump(exclude_none=True, exclude_defaults=True)) or "nothing"


@router.post("/edit")
def edit_sounds(library: InLibrary, page: InPage, editing: Editing) -> Changed:
    """Describe many sounds at once; one undo takes it back."""
    numbers = numbers_of(library, editing)
    if not numbers:
        raise OskrenError("No sounds are chosen; mark rows or narrow the search first.")
    used = describing.used_in(library, numbers) if editing.change.trashed else {}
    return Changed(count=len(numbers), edit=describing.edit(library, numbers, editing.change, actor=page), used=used)


@router.post("/edit/undo")
def undo_edit(library: InLibrary, page: InPage) -> Undone:
    """Take back the last thing this page did: descriptions, sets, categories, excerpts, deletions."""
    return Undone(title=undoing.take_back(library, page))


@router.post("/edit/redo")
def redo_edit(library: InLibrary, page: InPage) -> Undone:
    """Do the last thing again that this page took back."""
    return Undone(title=undoing.take_back(library, page, again=True))


@router.post("/anchors")
def propose_anchors(studio: InStudio, library: InLibrary, page: InPage, wanted: Anchoring) -> Started:
    """Propose the anchors of many sounds anew, as a job; one undo takes it back."""
    numbers = numbers_of(library, wanted)
    asked = importing.Anchoring(sounds=numbers, anchor=wanted.kind, page=page)
    return started(studio.jobs.start(importing.ANCHOR, library, f"Anchors of {len(numbers)} sounds", asked))


@router.get("/sounds/{number}/uses")
def uses(library: InLibrary, number: int) -> list[UseView]:
    """Where a sound is used: designs, spreads, slice plans, shipments, and in which project."""
    library.sound(number)
    return [UseView(**one) for one in describing.uses_of(library, number)]


@router.post("/trash/empty")
def empty_trash(library: InLibrary) -> Emptied:
    """Delete what lies in the trash for good; what is used stays."""
    gone, stays = describing.empty_trash(library)
    return Emptied(gone=gone, stays=stays)


@router.post("/export")
def export_sounds(studio: InStudio, library: InLibrary, wanted: Exporting) -> Started:
    """Write sounds or a marked part to a folder, as a job; every file is read back and checked."""
    numbers = numbers_of(library, wanted)
    if not numbers:
        raise OskrenError("No sounds are chosen to export; mark rows first.")
    folder = whole_path(wanted.folder or hand_over(studio, library), "the folder to write to")
    items = items_of(studio, library, numbers, wanted.heard)
    title = f"Exporting {items[0].name if len(items) == 1 else f'{len(items)} sounds'}"
    return started(studio.jobs.start(EXPORT, library, title, ExportAsked(items=items, target=wanted.target, folder=str(folder))))


def hand_over(studio: Studio, library: Library) -> str:
    """The folder another program watches: as set, or one in Oskren's own folder."""
    return str(keeping.setting(library, "hand over").get("folder") or studio.home.folder / "hand-over" / library.folder.name)


def heard_so(heard: Annotated[str, Query(max_length=60_000)] = "") -> Heard:
    """How sounds were heard, from a plain address: JSON, or nothing for dry."""
    try:
        return Heard.model_validate_json(heard) if heard else Heard()
    except ValidationError as error:
        raise OskrenError(f"How this was heard cannot be read ({error.errors()[0]['msg']}); choose it again.") from error


FILE: dict[int | str, dict[str, Any]] = {200: {"content": {"application/octet-stream": {}}}}


@router.get("/sounds/{number}/file", response_class=FileResponse, responses=FILE)
def sound_file(
    studio: InStudio, library: InLibrary, number: int, heard: Annotated[Heard, Depends(heard_so)], format: Literal["wav", "flac", "ogg"] = "wav"
) -> FileResponse:
    """A sound as it was heard, as a file: what is dragged out of the browser."""
    held = library.sound(number)
    if heard.dry and held.audio and not held.chain and held.frames / held.rate > LONG_S:
        # hours need not be rendered to be handed on: the file itself goes out
        whole = library.media(held.audio)
        return FileResponse(whole, filename=legal(held.name) + whole.suffix, media_type="application/octet-stream")
    folder, [path] = _rendered(studio, library, [number], heard, format)
    return FileResponse(path, filename=path.name, background=BackgroundTask(shutil.rmtree, folder, ignore_errors=True))


@router.get("/files.zip", response_class=FileResponse, responses={200: {"content": {"application/zip": {}}}})
def sound_files(
    studio: InStudio,
    library: InLibrary,
    ids: Annotated[str, Query(max_length=20_000, pattern=r"^\d{1,15}(,\d{1,15})*$")],
    heard: Annotated[Heard, Depends(heard_so)],
    format: Literal["wav", "flac", "ogg"] = "wav",
) -> FileResponse:
    """Several sounds as they were heard, each under its own name in one zip: what is dragged out of the browser when several rows are chosen."""
    numbers = list(dict.fromkeys(int(one) for one in ids.split(",")))
    folder, paths = _rendered(studio, library, numbers, heard.model_copy(update={"part": None}), format)
    packed = folder / "sounds.zip"
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as out:
        for path in paths:
            out.write(path, path.name)
    background = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(packed, filename=f"{len(paths)} sounds.zip", media_type="application/zip", background=background)


def _rendered(studio: Studio, library: Library, numbers: list[int], heard: Heard, format_: Literal["wav", "flac", "ogg"]) -> tuple[Path, list[Path]]:
    """Sounds as files in a folder of their own; what goes over full scale stays float."""
    items = items_of(studio, library, numbers, heard)
    folder = Path(tempfile.mkdtemp(prefix="out-", dir=studio.home.folder / "run"))
    try:
        paths: list[Path] = []
        floats = [item for number, item in zip(numbers, items, strict=True) if library.sound(number).bits == 32 and format_ == "wav"]
        for bits, some in ((32, floats), (24, [item for item in items if item not in floats])):
            made = export(studio, library, some, Target(format=format_, bits=bits), folder)
            paths += map(Path, made.files)
            loud = [item for item in some if item.sound in {str(one) for one in made.over}] if format_ == "wav" else []
            if loud:
                paths += map(Path, export(studio, library, loud, Target(bits=32), folder).files)
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
