"""Films of a library: opened as a job, which makes the copy that is played, finds shot changes and takes the sound out."""

from __future__ import annotations

import filecmp
import os
import time
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel

from oskren.core.audio import files
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.nodes.model import Source
from oskren.core.picture.film import Film
from oskren.store import Library
from oskren.store.documents import films
from oskren.work.engine.job import Job
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.picture import tasks

LOOKED_S = 0.2


def begin(studio: Studio, library: Library, path: Path, name: str = "") -> tuple[int, Job]:
    """Take a video file in and open it as a job; its id, that of a film that was opened from it as it is now. OskrenError when it cannot be read as one."""
    film = probed(studio, path)
    id = _opened(library, path, film) or films.add(library, name or path.stem, path, film)
    return id, studio.jobs.start(OPEN_FILM, library, f"Opening {name or path.name}", OpeningFilm(film=id))


def begin_sent(studio: Studio, library: Library, path: Path) -> tuple[int, Job]:
    """As ``begin``, of a file that was sent into the library's folder; one that lies there already goes, and the film is the one that was opened from it."""
    for row in films.films(library):
        other = films.path_of(library, row)
        if row.state == "ready" and other != path and other.parent == path.parent and other.is_file() and filecmp.cmp(path, other, shallow=False):
            path.unlink()
            return begin(studio, library, other)
    try:
        return begin(studio, library, path)
    except OskrenError:
        path.unlink(missing_ok=True)
        raise


def _opened(library: Library, path: Path, film: Film) -> int | None:
    """The film that was opened from a file and has everything still, unless the file was written since."""
    for row in films.films(library):
        if row.state == "ready" and films.path_of(library, row) == path and Film.model_validate(row.film) == film:
            proxy = films.proxy_of(library, row.id)
            if proxy.exists() and proxy.stat().st_mtime >= path.stat().st_mtime:
                return row.id
    return None


def again(studio: Studio, library: Library, id: int) -> Job:
    """Open a film of the library anew, as a job."""
    row = films.film(library, id)
    path = films.path_of(library, row)
    if not path.is_file():
        raise OskrenError(f"{path}: the film is missing; put its file back.")
    films.ended(library, id, "opening")
    return studio.jobs.start(OPEN_FILM, library, f"Opening {row.name}", OpeningFilm(film=id))


def probed(studio: Studio, path: Path) -> Film:
    """What a video file holds; OskrenError when it cannot be read as one."""
    return Film.model_validate(studio.workers.submit("asked", tasks.probe, str(path)).result())


def watched(studio: Studio, progress: Progress, name: str, call: Callable[..., Any], *arguments: Any) -> Any:
    """Run a task of a worker that tells how far it is (its last two arguments are the flag and the file it tells in)."""
    along = studio.home.folder / "run" / f"{name}-{os.getpid()}-{time.monotonic_ns()}.along"
    along.parent.mkdir(parents=True, exist_ok=True)
    future: Future[Any] = studio.workers.submit("batch", call, *arguments, progress.flag, str(along))
    try:
        while not future.done():
            time.sleep(LOOKED_S)
            try:
                done, total = (int(one) for one in along.read_text().split())
            except (OSError, ValueError):
                continue
            if total:
                progress.at(min(done, total), total)
        return future.result()
    finally:
        # whoever waits no more lets nothing land afterwards
        if not future.done():
            future.cancel() or future.exception()
        along.unlink(missing_ok=True)


def open_film(studio: Studio, library: Library, id: int, progress: Progress = ALONE) -> OpenedFilm:
    """Make what is needed to put sounds to a film."""
    row = films.film(library, id)
    if row.state == "ready":  # its file was chosen once more; one that is opened anew is "opening"
        return OpenedFilm(id=id, name=row.name, shots=len(row.shots))
    film, path = Film.model_validate(row.film), films.path_of(library, row)
    sound = library.folder / films.FOLDER / f"sound-{id}.wav"
    try:
        shots, heard = watched(
            studio, progress, f"film-{id}", tasks.open_film, str(path), film.model_dump(mode="json"), str(films.proxy_of(library, id)), str(sound)
        )
        guide = _guide(library, sound) if heard else None
    except Cancelled:
        films.ended(library, id, "failed", "Its opening was cancelled; open it again.")
        raise
    except OskrenError as error:
        films.ended(library, id, "failed", str(error))
        raise
    films.ended(library, id, "ready", "", shots, guide)
    return OpenedFilm(id=id, name=row.name, shots=len(shots))


def _guide(library: Library, path: Path) -> Source:
    """The film's own sound as audio of the library."""
    info, audio = files.probe(path), files.audio_hash(path)
    library.adopt_media(audio, path)
    return Source(audio=audio, rate=info.rate, channels=info.channels, frames=info.frames, layout=info.layout)


class OpeningFilm(Arguments):
    """Open a film by its id."""

    film: int


class OpenedFilm(BaseModel):
    """A film that was opened, and how many shot changes it has."""

    kind: Literal["film"] = "film"
    id: int
    name: str
    shots: int


OPEN_FILM = Kind("film", OpeningFilm, lambda studio, library, wanted, progress: open_film(studio, library, wanted.film, progress))


def present(library: Library, id: int) -> tuple[Film, Path]:
    """A film and the file its pictures are taken from: the copy that is played, or its own while that is not made."""
    row = films.film(library, id)
    proxy = films.proxy_of(library, id)
    path = proxy if row.state == "ready" and proxy.exists() else films.path_of(library, row)
    if not path.exists():
        raise OskrenError(f"{path}: the film is missing; put its file back, or open it anew.")
    film = Film.model_validate(row.film)
    # the copy stands upright and whole
    return (film.model_copy(update={"rotated": 0, "interlaced": False}) if path == proxy else film), path
