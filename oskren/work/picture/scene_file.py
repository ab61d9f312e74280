"""A scene as a file for scripts (``oskren scene SCENE.json``): its schema, and its sounds found in a library."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from oskren.core.errors import OskrenError, first_wrong
from oskren.core.nodes.model import Group, Member, Mix, Step, SumLayout
from oskren.core.picture.handed import Handing
from oskren.core.picture.scene import Cue, Place, Scene, on_frame
from oskren.core.timecode import FRAME_RATES, FrameRate, frame_of, recounted
from oskren.store import Library
from oskren.work import script_files
from oskren.work.engine.studio import Studio
from oskren.work.picture.exporting import Ready
from oskren.work.picture.films import probed
from oskren.work.ship.sheet_file import SheetItem, file_item, sound_of
from oskren.work.stack.designs import layer_of_sound


class At(BaseModel):
    """A frame: by its number from the film's first, or by its time code."""

    model_config = ConfigDict(extra="forbid")

    frame: int | None = Field(None, ge=0, description="frame of the film, from 0")
    at: str | None = Field(None, description="time code, as the film counts")

    @model_validator(mode="after")
    def _one(self) -> At:
        if (self.frame is None) == (self.at is None):
            raise ValueError("give either a frame or a time code in at")
        return self

    def frame_in(self, start: int, counted: FrameRate) -> int:
        """The frame from the film's first on."""
        return self.frame if self.at is None else frame_of(self.at, counted) - start  # type: ignore[return-value]


class PlacedItem(At):
    """A placement: a sound of the library (its id or exact name) or a file beside the scene, its anchor on a frame."""

    sound: int | str | None = None
    file: str | None = None
    name: str | None = None
    group: str = ""
    anchor_s: float | None = Field(None, ge=0, description="moment of the sound that lies on the frame; its own when left out, the start of a file")
    gain_db: float = 0.0
    pan: float = 0.0
    pitch_st: float = 0.0
    keep_length: bool = False
    stretch: float = 1.0
    reverse: bool = False
    start_s: float | None = None
    end_s: float | None = None
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    chain: list[Step] = []

    @model_validator(mode="after")
    def _source(self) -> PlacedItem:
        if (self.sound is None) == (self.file is None):
            raise ValueError("a placement names either a sound or a file")
        return self


class CueItem(At):
    """A cue."""

    name: str = ""
    until: int | None = None
    priority: int = Field(2, ge=1, le=3)
    notes: str = ""


class SceneFile(BaseModel):
    """A film with sounds on its frames, and what of it is handed over."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field("scene", min_length=1, max_length=200)
    film: str = Field(description="path of a video file, relative to this one")
    frame_rate: str | None = Field(None, description="how its frames are counted; as the file says when left out")
    start: str | None = Field(None, description="time code of the first frame; as the file says when left out")
    layout: SumLayout = "stereo"
    placements: list[PlacedItem] = Field(default_factory=list, max_length=2000)
    cues: list[CueItem] = Field(default_factory=list, max_length=2000)
    places: list[Place] = Field(default_factory=list, max_length=100)
    how: Handing = Handing()


def load(path: Path) -> SceneFile:
    """Read a scene file; one sentence when it cannot be used."""
    return script_files.read(path, SceneFile, "scene")


def resolve(studio: Studio, library: Library, wanted: SceneFile, folder: Path) -> Ready:
    """Find the film and every sound of a scene; OskrenError names the first that is not there."""
    path = folder / wanted.film
    if not path.is_file():
        raise OskrenError(f"{path}: there is no such film; give its path, relative to the scene's file.")
    film = probed(studio, path)
    rate = wanted.frame_rate or film.frame_rate
    if rate not in FRAME_RATES:
        raise OskrenError(f"There is no frame rate '{rate}'; there are {', '.join(FRAME_RATES)}.")
    counted = FRAME_RATES[rate]
    if counted.rate != film.counted.rate:
        usable = " or ".join(name for name, one in FRAME_RATES.items() if one.rate == film.counted.rate)
        raise OskrenError(f"{path}: its frames are counted at {usable} frames a second, not at {rate}; correct frame_rate or leave it out.")
    start = recounted(film.start, film.counted, counted) if wanted.start is None else frame_of(wanted.start, counted)
    film = film.model_copy(update={"frame_rate": rate, "start": start})
    groups: dict[str, Group] = {}
    members = []
    for place, item in enumerate(wanted.placements, 1):
        frame = item.frame_in(start, counted)
        if not 0 <= frame < film.frames:
            raise OskrenError(f"Placement {place} lies on frame {frame}; the film has frames 0 to {film.frames - 1}.")
        if item.group and item.group not in groups:
            groups[item.group] = Group(id=f"group-{len(groups) + 1}", name=item.group)
        members.append(_member(library, item, place, folder, on_frame(frame, counted), groups[item.group].id if item.group else ""))
    try:
        cues = tuple(
            Cue(id=f"cue-{count}", name=cue.name, frame=cue.frame_in(start, counted), until=cue.until, priority=cue.priority, notes=cue.notes)
            for count, cue in enumerate(wanted.cues, 1)
        )
        mix = Mix(members=tuple(members), groups=tuple(groups.values()), layout=wanted.layout)
        scene = Scene(film=1, frame_rate=rate, frames=film.frames, start=start, mix=mix, cues=cues, places=tuple(wanted.places))
    except ValidationError as error:
        raise OskrenError(f"{wanted.name}: {first_wrong(error)}") from error
    return Ready(wanted.name, scene, film, path)


TAKEN = {"gain_db", "pan", "pitch_st", "keep_length", "stretch", "reverse", "start_s", "end_s", "fade_in_s", "fade_out_s"}
"""What a placement of a file says of its member as it stands."""


def _member(library: Library, item: PlacedItem, place: int, folder: Path, at_s: float, group: str) -> Member:
    """A placement of a scene file as a member of its mix."""
    own: dict[str, Any] = item.model_dump(include=TAKEN)
    if item.file is not None:
        found = file_item(library, SheetItem(file=item.file), folder)
        own |= {"node": found.node.model_dump(mode="json"), "name": item.name or found.name, "anchor_s": item.anchor_s or 0.0}
    else:
        layer = layer_of_sound(library, sound_of(library, item.sound, f"Placement {place} of the scene"))
        anchor = layer.anchor_s if item.anchor_s is None else item.anchor_s
        own |= {"node": layer.node.model_dump(mode="json"), "name": item.name or layer.name, "anchor_s": anchor, "origin": layer.origin}
    try:
        chain = [step.model_dump(mode="json") for step in item.chain]
        return Member.model_validate({**own, "id": f"placed-{place}", "at_s": at_s, "group": group, "chain": chain})
    except ValidationError as error:
        raise OskrenError(f"Placement {place} of the scene: {first_wrong(error)}") from error
