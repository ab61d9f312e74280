"""Gather: import, describe, search, export."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any, Literal

from fastapi import APIRouter, File, Query, Response, UploadFile
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from pydantic_core import to_json
from starlette.background import BackgroundTask

from oskren.api.common import InLibrary, InStudio, SoundFacts, SoundRow, Started, facts_of, rows_of, started
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Step
from oskren.core.shipping.sheet import Target
from oskren.core.words.conditions import Search, checked, parse, write
from oskren.core.words.names import legal
from oskren.store import Library, describing, keeping
from oskren.store.asking import Asked
from oskren.store.describing import Change
from oskren.work import handing, importing
from oskren.work.jobs import Job
from oskren.work.studio import Studio

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
    """Files out: sounds or a marked part, to a folder (the hand-over folder when none is given), through a chain."""

    folder: str = ""
    target: Target = Target()
    part: tuple[float, float] | None = None
    chain: list[Step] = []


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
def change_sound(library: InLibrary, number: int, change: Change) -> SoundFacts:
    """Describe a sound; the audio stays as it is."""
    before = library.sound(number)
    describing.edit(library, [number], change, f"{before.name}: {_named(change)}")
    return facts_of(library, library.sound(number))


def _named(change: Change) -> str:
    return ", ".join(name.replace("_", " ") for name in change.model_dump(exclude_none=True, exclude_defaults=True)) or "nothing"


@router.post("/edit")
def edit_sounds(library: InLibrary, editing: Editing) -> Changed:
    """Describe many sounds at once; one undo takes it back."""
    numbers = numbers_of(library, editing)
    if not numbers:
        raise OskrenError("No sounds are chosen; mark rows or narrow the search first.")
    return Changed(count=len(numbers), edit=describing.edit(library, numbers, editing.change))


@router.post("/edit/undo")
def undo_edit(library: InLibrary) -> Undone:
    """Take back the last change of descriptions."""
    return Undone(title=describing.take_back(library))


@router.post("/edit/redo")
def redo_edit(library: InLibrary) -> Undone:
    """Do the last change again that was taken back."""
    return Undone(title=describing.take_back(library, again=True))


@router.post("/anchors")
def propose_anchors(studio: InStudio, library: InLibrary, wanted: Anchoring) -> Started:
    """Propose the anchors of many sounds anew, as a job; one undo takes it back."""
    numbers = numbers_of(library, wanted)

    def work(job: Job) -> dict[str, Any]:
        found = importing.propose_anchors(studio, library, numbers, wanted.kind, job.progress)
        return {"changed": describing.set_anchors(library, found)}

    return started(studio.jobs.start("anchors", f"Anchors of {len(numbers)} sounds", work))


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
    folder = Path(wanted.folder).expanduser() if wanted.folder else Path(hand_over(studio, library))
    if not folder.is_absolute():
        raise OskrenError(f"{folder}: give the whole path of the folder, from the root of the disk.")
    items = handing.items_of(studio, library, numbers, wanted.part, wanted.chain)

    def work(job: Job) -> dict[str, Any]:
        return handing.export(studio, library, items, wanted.target, folder, job.progress, job.flag.exists)

    return started(studio.jobs.start("export", f"Exporting {items[0].name if len(items) == 1 else f'{len(items)} sounds'}", work))


def hand_over(studio: Studio, library: Library) -> str:
    """The folder another program watches: as set, or one in Oskren's own folder."""
    return str(keeping.setting(library, "hand over").get("folder") or studio.home.folder / "hand-over" / library.folder.name)


@router.get("/sounds/{number}/file", response_class=FileResponse, responses={200: {"content": {"application/octet-stream": {}}}})
def sound_file(
    studio: InStudio,
    library: InLibrary,
    number: int,
    start: Annotated[float | None, Query(ge=0)] = None,
    end: Annotated[float | None, Query(ge=0)] = None,
    format: Literal["wav", "flac", "ogg"] = "wav",
) -> FileResponse:
    """A sound, or the part between start and end (s), as a file: what is dragged out of the browser."""
    part = (start, end) if start is not None and end is not None else None
    held = library.sound(number)
    if part is None and held.audio and not held.chain and held.frames / held.rate > LONG_S:
        # hours need not be rendered to be handed on: the file itself goes out
        whole = library.media(held.audio)
        return FileResponse(whole, filename=legal(held.name) + whole.suffix)
    [item] = handing.items_of(studio, library, [number], part)
    folder = Path(tempfile.mkdtemp(prefix="out-", dir=studio.home.folder / "run"))
    try:
        bits: Literal[16, 24, 32] = 32 if held.bits == 32 and format == "wav" else 24
        made = handing.export(studio, library, [item], Target(format=format, bits=bits), folder)
        if made["failed"]:
            raise OskrenError(made["failed"][0]["reason"])
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    path = Path(made["files"][0])
    return FileResponse(path, filename=path.name, background=BackgroundTask(shutil.rmtree, folder, ignore_errors=True))


def _import_job(studio: Studio, library: Library, paths: list[Path], name: str, refer: bool, afterwards: Path | None = None) -> Job:
    def work(job: Job) -> dict[str, Any]:
        try:
            result = importing.import_paths(studio, library, paths, name, refer=refer, told=job.progress, stop=job.flag.exists, sent=afterwards)
        finally:
            if afterwards is not None:
                shutil.rmtree(afterwards, ignore_errors=True)
            importing.begin_follow_up(studio, library)
        return {name: value for name, value in asdict(result).items() if name != "sounds"}

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
