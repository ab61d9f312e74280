"""Libraries, steps, jobs, events, and the find-anything field."""

from __future__ import annotations

import asyncio
import queue
from collections.abc import AsyncIterable
from typing import Annotated, Any

from fastapi import APIRouter, Header, Query
from fastapi.sse import EventSourceResponse, ServerSentEvent
from pydantic import BaseModel, Field

import oskren
from oskren.api.common import InLibrary, InStudio, JobView, SoundRow, row_of
from oskren.api.doors import whole_path
from oskren.core.errors import OskrenError
from oskren.core.words.conditions import MOST_WORDS
from oskren.store.search import counting
from oskren.store.search.asking import Asked
from oskren.store.search.counting import Counts
from oskren.work.engine.cluster import keep_address

router = APIRouter(tags=["state"])


class LibraryView(BaseModel):
    slug: str
    name: str
    sounds: int


class State(BaseModel):
    """What the frame of the app needs first."""

    version: str
    libraries: list[LibraryView]
    ship_folder: str


class NewLibrary(BaseModel):
    name: str = Field(min_length=1, max_length=80)


class Hit(BaseModel):
    """Something found by the find-anything field."""

    kind: str
    id: int
    name: str
    sound: SoundRow | None = None


@router.get("/state")
def state(studio: InStudio) -> State:
    """Libraries and where things are."""
    views = []
    for name in studio.home.names():
        library = studio.home.library(name)
        views.append(LibraryView(slug=name, name=library.name, sounds=counting.sounds(library)))
    return State(
        version=oskren.__version__,
        libraries=views,
        ship_folder=str(studio.home.folder / "shipped"),
    )


@router.post("/libraries")
def add_library(studio: InStudio, new: NewLibrary) -> LibraryView:
    """Make a library."""
    if not new.name.strip():
        raise OskrenError("A library needs a name; type one.")
    if studio.home.called(new.name) is not None:
        raise OskrenError(f"A library called '{new.name}' exists already; choose another name.")
    folder = studio.home.free_folder(new.name)
    library = studio.home.library(folder, create=True)
    (library.folder / "title").write_text(new.name.strip())
    return LibraryView(slug=folder, name=library.name, sounds=0)


class Restoring(BaseModel):
    """A backup to open as a library, under its own name or another."""

    path: str = Field(min_length=1, max_length=4000)
    name: str = Field("", max_length=80)


@router.post("/libraries/restore")
def restore_library(studio: InStudio, wanted: Restoring) -> LibraryView:
    """Open a backup of a library."""
    from oskren.work.gather import backup

    library = backup.restore(studio.home, whole_path(wanted.path, "the backup"), wanted.name)
    studio.jobs.start(backup.RELINK, library, f"Finding the files of {library.name} again", backup.FindingAgain())
    return LibraryView(slug=library.folder.name, name=library.name, sounds=library.search(Asked(limit=1)).total)


@router.get("/lib/{library}/counts")
def counts(library: InLibrary) -> Counts:
    """One count for every stage."""
    return counting.stages(library)


@router.get("/lib/{library}/find")
def find(library: InLibrary, q: Annotated[str, Query(max_length=400)]) -> list[Hit]:
    """Sounds and designs whose words match."""
    if len(q.split()) > MOST_WORDS:
        raise OskrenError(f"Looking for anything takes up to {MOST_WORDS} words; leave out those that matter least.")
    sounds, designs = counting.found(library, q)
    hits = [Hit(kind="sound", id=sound.id, name=sound.name, sound=row_of(sound)) for sound in sounds]
    return hits + [Hit(kind="design", id=id, name=name) for id, name in designs]


@router.get("/jobs")
def jobs(studio: InStudio) -> list[JobView]:
    """The newest jobs, oldest first: those that run, and how the others ended."""
    return [JobView.model_validate(one.model_dump()) for one in studio.jobs.all()]


@router.post("/jobs/{id}/cancel")
def cancel_job(studio: InStudio, id: int) -> JobView:
    """Ask a job to end; what is finished stays."""
    studio.jobs.cancel(id)
    return JobView.model_validate(studio.jobs.get(id).model_dump())


class ClusterView(BaseModel):
    """The Dask cluster that ships; without an address this machine does. ``workers`` is None while it is not connected to."""

    address: str = Field("", max_length=300)
    workers: int | None = None


@router.get("/cluster")
def cluster(studio: InStudio) -> ClusterView:
    """Where is shipped."""
    return ClusterView(address=studio.cluster_at)


@router.put("/cluster")
def choose_cluster(studio: InStudio, wanted: ClusterView) -> ClusterView:
    """Ship on a cluster from now on, once it is found to be able to; or on this machine."""
    before, studio.cluster_at = studio.cluster_at, wanted.address.strip()
    try:
        found = studio.cluster()
    except OskrenError:
        studio.cluster_at = before
        raise
    keep_address(studio.home.folder, studio.cluster_at)
    return ClusterView(address=studio.cluster_at, workers=None if found is None else found.size)


class Pausing(BaseModel):
    on: bool


@router.post("/jobs/{id}/pause")
def pause_job(studio: InStudio, id: int, wanted: Pausing) -> JobView:
    """Let a job rest, or go on: what is begun is finished, nothing else is begun."""
    studio.jobs.pause(id, wanted.on)
    return JobView.model_validate(studio.jobs.get(id).model_dump())


def _event(kind: str, data: dict[str, Any]) -> ServerSentEvent:
    return ServerSentEvent(data=data, event=kind, id=str(data["ended"]) if data.get("ended") else None)


@router.get("/events", response_class=EventSourceResponse)
async def events(studio: InStudio, last_event_id: Annotated[str, Header(max_length=20)] = "") -> AsyncIterable[ServerSentEvent]:
    """Changes of jobs as they happen, and of what people edit. Who comes back says what it heard last, and hears what ended since."""
    with studio.jobs.listening() as changes:
        missed, last = await asyncio.to_thread(studio.jobs.missed, int(last_event_id) if last_event_id.isdigit() else None)
        for data in missed:
            yield _event("job", data)
        yield ServerSentEvent(data={}, event="hello", id=str(last))  # a page that heard of no end yet can say where it was
        quiet = 0.0
        while True:
            try:
                yield _event(*changes.get_nowait())
                quiet = 0.0
            except queue.Empty:
                await asyncio.sleep(0.05)
                quiet += 0.05
                if quiet > 10:
                    quiet = 0.0
                    yield ServerSentEvent(comment="still here")
