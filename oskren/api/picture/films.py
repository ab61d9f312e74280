"""Films over HTTP: opened by path or sent by the browser, played, and looked at frame by frame."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Query, Response
from fastapi import Path as InAddress
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, InUploads, Started, started
from oskren.api.doors import whole_path
from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Node
from oskren.core.picture.film import SUFFIXES, Film
from oskren.store.documents import films as kept
from oskren.store.tables import FilmRow
from oskren.work.picture import films as opening
from oskren.work.picture import tasks

router = APIRouter(prefix="/lib/{library}", tags=["picture"])


class FilmView(BaseModel):
    """A film of the library: what it holds, the frames its shots begin on, its own sound; ``state`` is opening, ready or failed."""

    id: int
    name: str
    path: str
    state: str
    message: str
    film: Film
    seconds: float
    shots: list[int]
    guide: Node | None


class FilmPath(BaseModel):
    """A video file on this machine, and what it is to be called."""

    path: str = Field(min_length=1, max_length=4000)
    name: str = Field("", max_length=200)


def _view(row: FilmRow) -> FilmView:
    film = Film.model_validate(row.film)
    return FilmView(
        id=row.id,
        name=row.name,
        path=row.path,
        state=row.state,
        message=row.message,
        film=film,
        seconds=film.seconds,
        shots=row.shots,
        guide=kept.guide_of(row),
    )


@router.get("/films")
def films(library: InLibrary) -> list[FilmView]:
    """All films of the library, the newest first."""
    return [_view(row) for row in kept.films(library)]


@router.post("/films")
def open_film(studio: InStudio, library: InLibrary, wanted: FilmPath) -> Started:
    """Open a video file where it lies, as a job: the copy that is played is made, shot changes are found, its sound is taken out."""
    path = whole_path(wanted.path, "the video file")
    if not path.is_file():
        raise OskrenError(f"{path}: there is no such file; give the path of a video file.")
    id, job = opening.begin(studio, library, path, wanted.name.strip())
    return started(job, id)


@router.post("/films/sent/{upload}")
def open_sent_film(studio: InStudio, library: InLibrary, uploads: InUploads, upload: str) -> Started:
    """Open a video file the browser sent: it is kept in the library's folder."""
    path = uploads.taken_out(upload, library.folder / kept.FOLDER, SUFFIXES)
    id, job = opening.begin_sent(studio, library, path)
    return started(job, id)


@router.get("/films/{id}")
def film(library: InLibrary, id: int) -> FilmView:
    """A film as it stands."""
    return _view(kept.film(library, id))


@router.post("/films/{id}/again")
def open_again(studio: InStudio, library: InLibrary, id: int) -> Started:
    """Make the copy that is played anew: after a failure, or when it was removed."""
    return started(opening.again(studio, library, id), id)


VIDEO: dict[int | str, dict[str, Any]] = {200: {"content": {"video/mp4": {}}}}


@router.get("/films/{id}/played", response_class=FileResponse, responses=VIDEO)
def played(library: InLibrary, id: int) -> FileResponse:
    """The copy that is played; parts of it as the browser asks for them."""
    kept.film(library, id)
    path = kept.proxy_of(library, id)
    if not path.exists():
        raise OskrenError("The copy of this film that is played is not there yet; it is made while the film opens.")
    return FileResponse(path, media_type="video/mp4", headers={"Cache-Control": "private, max-age=600"})


STILL: dict[int | str, dict[str, Any]] = {200: {"content": {"image/jpeg": {}}}}


@router.get("/films/{id}/frames/{number}", response_class=Response, responses=STILL)
def frame(
    studio: InStudio,
    library: InLibrary,
    id: int,
    number: Annotated[int, InAddress(ge=0, le=10**7)],
    width: Annotated[int, Query(ge=16, le=1920)] = 640,
) -> Response:
    """One frame of a film as a JPEG."""
    known, path = opening.present(library, id)
    jpeg: bytes = studio.workers.submit("question", tasks.still, str(path), known.model_dump(mode="json"), number, width).result()
    return Response(jpeg, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=600"})
