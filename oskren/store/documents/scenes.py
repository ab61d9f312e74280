"""Scenes as they are kept: every save is one transaction; entries of the wanted list hear when a cue of theirs is done."""

from __future__ import annotations

from collections import OrderedDict
from pathlib import Path
from threading import Lock
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import check_chain
from oskren.core.nodes.walk import hash_lasts, steps_of
from oskren.core.picture.scene import MOST_PLACED, Scene
from oskren.store.describe.keeping import note_uses
from oskren.store.documents import versions
from oskren.store.documents.revisions import step_on
from oskren.store.library import Library
from oskren.store.tables import FilmRow, SceneRow, SceneVersion, Sound, WantedAnswer, WantedSound

_STATES: OrderedDict[tuple[Path, int], tuple[dict[str, Any], Scene]] = OrderedDict()
"""The states read or kept last, as data and as models: what is found of their placements stays with them from one edit to the next."""

_LAST = 8
_lock = Lock()


def _state(library: Library, row: SceneRow) -> Scene:
    """The scene a row keeps; the very same model as long as it is not changed."""
    with _lock:
        data, known = _STATES.get((library.folder, row.id), (None, None))
    if known is not None and data == row.scene:
        return known
    return _keep_state(library, row, Scene.model_validate(row.scene))


def _keep_state(library: Library, row: SceneRow, scene: Scene) -> Scene:
    if not hash_lasts(scene.mix):
        return scene
    with _lock:
        _STATES[(library.folder, row.id)] = row.scene, scene
        _STATES.move_to_end((library.folder, row.id))
        while len(_STATES) > _LAST:
            _STATES.popitem(last=False)
    return scene


def _row(session: Session, id: int) -> SceneRow:
    row = session.get(SceneRow, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no scene {id}; it may have been removed.")
    return row


def scene(library: Library, id: int) -> tuple[SceneRow, Scene]:
    """A scene and its row."""
    with library.reading() as session:
        row = _row(session, id)
    return row, _state(library, row)


def scenes(library: Library) -> list[SceneRow]:
    """All scenes, the newest first."""
    with library.reading() as session:
        return list(session.scalars(select(SceneRow).where(SceneRow.trashed.is_(None)).order_by(SceneRow.id.desc())))


def add(library: Library, name: str, scene: Scene, project: int = 1) -> SceneRow:
    """Begin a scene."""
    with library.writing() as session:
        if session.get(FilmRow, scene.film) is None:
            raise NotFound(f"There is no film {scene.film} in this library; open its file first.")
        row = SceneRow(name=name, film_id=scene.film, scene={}, project=project)
        session.add(row)
        session.flush()
        _put(session, row, None, scene)
    library.columns.touch_uses()
    return row


def save(library: Library, id: int, name: str, scene: Scene, based_on: int | None = None) -> SceneRow:
    """Keep a scene as it is now; Conflict when it is not based on the revision that is kept."""
    with library.writing() as session:
        row = _row(session, id)
        step_on(row, based_on, row.name)
        row.name = name
        _put(session, row, _state(library, row), scene)
    _keep_state(library, row, scene)
    library.columns.touch_uses()
    return row


def _put(session: Session, row: SceneRow, before: Scene | None, scene: Scene) -> None:
    if len(scene.mix.members) > MOST_PLACED:
        raise OskrenError(f"A scene holds {MOST_PLACED} placements at most; print some of them and place the print.")
    if before is not None and scene.film != before.film:
        raise OskrenError("A scene keeps its film; begin another scene for another film.")
    check_chain(steps_of(scene.mix), () if before is None else steps_of(before.mix))
    row.scene = scene.model_dump(mode="json")
    note_uses(session, "scene", row.id, [scene.mix], row.project)
    _answer(session, before, scene)


def keep_version(library: Library, id: int, name: str, notes: str, state: Scene) -> SceneVersion:
    """Keep a state of a scene, which has the scene's film, by name; without one it is numbered."""
    if state.film != scene(library, id)[1].film:
        raise OskrenError("A version of a scene has the scene's film.")
    return versions.keep(library, SceneVersion, id, name, notes, scene=state.model_dump(mode="json"))


def _answer(session: Session, before: Scene | None, scene: Scene) -> None:
    """Entries of the wanted list are found by what is placed at their cue, and done when the cue is; taken back when that is taken back."""
    done_before = {cue.wanted for cue in before.cues if cue.done} if before is not None else set()
    members = {member.id: member for member in scene.mix.members}
    for cue in scene.cues:
        row = session.get(WantedSound, cue.wanted) if cue.wanted is not None else None
        if row is None:
            continue
        for origin in (members[id].origin for id in cue.placed if id in members):
            if origin is not None and (origin.kind != "sound" or session.get(Sound, origin.id) is not None):
                session.merge(WantedAnswer(wanted_id=row.id, kind=origin.kind, item=origin.id))
                row.state = "found" if row.state in ("wanted", "to record") else row.state
        if cue.done and row.id not in done_before:
            row.state = "done"
        elif not cue.done and row.id in done_before and row.state == "done":
            row.state = "found"
