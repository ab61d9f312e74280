"""Kept versions of scenes over HTTP."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary
from oskren.api.stack.designs import VersionChange
from oskren.core.picture.difference import scene_differences
from oskren.core.picture.scene import Scene
from oskren.store.documents import scenes, versions
from oskren.store.tables import SceneVersion

router = APIRouter(prefix="/lib/{library}", tags=["picture"])


class SceneVersionView(BaseModel):
    """A kept state of a scene."""

    id: int
    name: str
    notes: str
    created: str
    scene: Scene


class NewSceneVersion(BaseModel):
    """A state of a scene to keep; without a name it is numbered."""

    name: str = Field("", max_length=200)
    notes: str = Field("", max_length=4000)
    scene: Scene


class TwoScenes(BaseModel):
    """Two states of a scene."""

    before: Scene
    after: Scene


def _view(row: SceneVersion) -> SceneVersionView:
    return SceneVersionView(id=row.id, name=row.name, notes=row.notes, created=row.created, scene=Scene.model_validate(row.scene))


@router.get("/scenes/{id}/versions")
def scene_versions(library: InLibrary, id: int) -> list[SceneVersionView]:
    """Kept versions, the oldest first."""
    return [_view(row) for row in versions.versions(library, SceneVersion, id)]


@router.post("/scenes/{id}/versions")
def keep_scene_version(library: InLibrary, id: int, new: NewSceneVersion) -> SceneVersionView:
    """Keep a state of a scene by name."""
    return _view(scenes.keep_version(library, id, new.name, new.notes, new.scene))


@router.patch("/scene-versions/{id}")
def change_scene_version(library: InLibrary, id: int, change: VersionChange) -> SceneVersionView:
    """Another name or other notes."""
    return _view(versions.change(library, SceneVersion, id, change.name, change.notes))


@router.post("/picture/difference")
def scene_difference(_: InLibrary, two: TwoScenes) -> list[str]:
    """What sets two states of a scene apart, in words."""
    return scene_differences(two.before, two.after)
