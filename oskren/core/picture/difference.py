"""What sets two states of a scene apart, in words."""

from __future__ import annotations

from oskren.core.picture.scene import DISTANCES, Cue, Place, Scene
from oskren.core.stack.difference import differences, told_apart
from oskren.core.timecode import code_of


def scene_differences(before: Scene, after: Scene) -> list[str]:
    """What was changed from one version of a scene to another: one phrase for each cue, place and placement that differs, then what is of all of it.

    Cues, places and placements are told apart by their ids. What is placed follows :func:`oskren.core.stack.difference.differences`.

    Parameters
    ----------
    before, after : Scene
        Of one film.

    Returns
    -------
    list of str
        Empty where nothing differs.

    Examples
    --------
    >>> scene = Scene(film=1, frame_rate="25", frames=100, cues=(Cue(id="a", name="Bell", frame=10),))
    >>> scene_differences(scene, scene.model_copy(update={"cues": (), "target_lufs": -24.0}))
    ['cue Bell removed', 'loudness aimed at -23 to -24 LUFS']
    """

    def at(frame: int) -> str:
        return code_of(after.start + frame, after.counted)

    cues, later_cues = {one.id: one for one in before.cues}, {one.id: one for one in after.cues}
    said = told_apart(
        cues, later_cues, lambda one: f"cue {_called(one)}", lambda old, new: _cue(old, new, at(new.frame)), made=lambda one: f"set at {at(one.frame)}"
    )
    places, later_places = {one.id: one for one in before.places}, {one.id: one for one in after.places}
    said += told_apart(
        places, later_places, lambda one: f"place {_called(one)}", lambda old, new: _place(old, new, at(new.frame)), made=lambda one: f"made at {at(one.frame)}"
    )
    said += differences(before.mix, after.mix, "placement")
    if before.target_lufs != after.target_lufs:
        said.append(f"loudness aimed at {before.target_lufs:g} to {after.target_lufs:g} LUFS")
    if (before.frame_rate, before.start) != (after.frame_rate, after.start):
        said.append("frames counted otherwise")
    if before.keys != after.keys:
        said.append("other keys that drop sounds")
    if (before.guide, before.guide_db) != (after.guide, after.guide_db):
        said.append("the film's own sound heard otherwise")
    return said


def _called(one: Cue | Place) -> str:
    return one.name or "without a name"


def _cue(old: Cue, new: Cue, at: str) -> list[str]:
    said = []
    if old.name != new.name:
        said.append(f"called {old.name or 'nothing'} before")
    if old.frame != new.frame:
        said.append(f"moved to {at}")
    if (old.until is None) != (new.until is None) or (old.until is not None and new.until is not None and old.until - old.frame != new.until - new.frame):
        said.append("another length")
    if old.done != new.done:
        said.append("done" if new.done else "no longer done")
    if old.placed != new.placed:
        said.append("answered otherwise")
    if (old.priority, old.notes, old.wanted) != (new.priority, new.notes, new.wanted):
        said.append("described otherwise")
    return said


def _place(old: Place, new: Place, at: str) -> list[str]:
    said = []
    if old.name != new.name:
        said.append(f"called {old.name or 'nothing'} before")
    if old.frame != new.frame:
        said.append(f"begins at {at}")
    if old.until - old.frame != new.until - new.frame:
        said.append("another length")
    if old.space != new.space:
        said.append(f"{old.space} to {new.space}")
    if old.size != new.size:
        said.append(f"size {old.size:g} to {new.size:g}")
    if old.amount != new.amount:
        said.append(f"heard {DISTANCES[old.amount]} to {DISTANCES[new.amount]}")
    if old.amounts != new.amounts:
        said.append("others nearer or further")
    return said
