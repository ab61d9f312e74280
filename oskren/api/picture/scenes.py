"""Scenes over HTTP: documents of cues and placements, and their exports."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio, Started, started
from oskren.api.documents.factory import Kept, Kind, serve
from oskren.api.doors import whole_path
from oskren.core.nodes.model import Mix
from oskren.core.picture.film import Film
from oskren.core.picture.handed import Handing, cue_sheet
from oskren.core.picture.scene import Scene
from oskren.store import Library
from oskren.store.documents import films
from oskren.store.documents import scenes as kept
from oskren.store.tables import SceneRow
from oskren.work.engine.studio import Studio
from oskren.work.picture.exporting import HAND_OVER, HandingOver

router = APIRouter(prefix="/lib/{library}", tags=["picture"])


class SceneView(BaseModel):
    """A scene as it is kept."""

    id: int
    name: str
    created: str
    project: int
    revision: int
    scene: Scene


class SceneHead(BaseModel):
    """A scene in a list: how many cues it has and how many of those are answered."""

    id: int
    name: str
    film: int
    project: int
    cues: int
    answered: int
    placements: int


class NewScene(BaseModel):
    """A scene to begin: for a film, counted as its file says."""

    name: str = Field(min_length=1, max_length=200)
    film: int = Field(ge=1)
    project: int = Field(1, ge=1)


class SceneNow(BaseModel):
    """What is kept of a scene."""

    name: str = Field(min_length=1, max_length=200)
    scene: Scene


class SceneKept(BaseModel):
    """The new revision of a scene."""

    revision: int


class ToHandOver(BaseModel):
    """Where a scene is handed over to, and what of it."""

    folder: str = Field(min_length=1, max_length=4000)
    how: Handing = Handing()


class CueSheet(BaseModel):
    """The cues of a scene as CSV."""

    text: str


@router.get("/scenes")
def scenes(library: InLibrary, project: Annotated[int, Query(ge=1)] = 1) -> list[SceneHead]:
    """The scenes of a project, the newest first."""
    return [_head(row) for row in kept.scenes(library) if row.project == project]


def _head(row: SceneRow) -> SceneHead:
    cues = row.scene.get("cues", [])
    there = {one["id"] for one in row.scene["mix"]["members"]}
    answered = sum(1 for cue in cues if cue.get("done") or there & set(cue.get("placed", ())))
    return SceneHead(id=row.id, name=row.name, film=row.film_id, project=row.project, cues=len(cues), answered=answered, placements=len(there))


@router.post("/scenes")
def add_scene(library: InLibrary, new: NewScene) -> SceneView:
    """Begin a scene."""
    film = Film.model_validate(films.film(library, new.film).film)
    mix = Mix(layout="stereo")
    scene = Scene(film=new.film, frame_rate=film.frame_rate, frames=film.frames, start=film.start, mix=mix)
    return _view(kept.add(library, new.name, scene, new.project), scene)


def _view(row: SceneRow, scene: Scene) -> SceneView:
    return SceneView(id=row.id, name=row.name, created=row.created, project=row.project, revision=row.revision or 0, scene=scene)


def _now(studio: Studio, library: Library, id: int) -> SceneNow:
    row, scene = kept.scene(library, id)
    return SceneNow(name=row.name, scene=scene)


def _keep(studio: Studio, library: Library, id: int, now: SceneNow, based_on: int | None) -> Kept:
    return Kept(kept.save(library, id, now.name, now.scene, based_on).revision or 0)


SCENE: Kind[SceneNow] = Kind(
    name="scene",
    body=SceneNow,
    shown=SceneView,
    read=_now,
    keep=_keep,
    view=lambda _, library, id, __: _view(*kept.scene(library, id)),
    answer=SceneKept,
    saved=lambda one: SceneKept(revision=one.revision),
)
"""A scene: its name, cues and placements."""

serve(router, "/scenes/{id}", SCENE)


@router.get("/scenes/{id}/cues")
def cues_as_csv(library: InLibrary, id: int) -> CueSheet:
    """The cue sheet of a scene."""
    return CueSheet(text=cue_sheet(kept.scene(library, id)[1]))


@router.post("/scenes/{id}/hand-over")
def hand_over(studio: InStudio, library: InLibrary, id: int, wanted: ToHandOver) -> Started:
    """Write a scene for others into a folder of its own, as a job."""
    row, _ = kept.scene(library, id)
    folder = whole_path(wanted.folder, "the folder to write to")
    return started(studio.jobs.start(HAND_OVER, library, f"Exporting {row.name}", HandingOver(scene=id, folder=str(folder), how=wanted.how)))
