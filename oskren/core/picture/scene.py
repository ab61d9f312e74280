"""Scenes: a film, its cues, and a mix whose zero is the film's first frame."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, Literal, Self

from pydantic import Field, model_validator

from oskren.core.controls import choice, number, switch
from oskren.core.nodes.model import Frozen, Member, Mix, Node, Step
from oskren.core.steps.base import checked
from oskren.core.steps.space import NAMED
from oskren.core.timecode import FRAME_RATES, FrameRate, moment_of
from oskren.core.words.wanting import PRIORITIES

GUIDE = "guide"
"""Id of the film's own sound where it is heard along; no placement has it."""

GROUPS = ("Hard effects", "Movement", "Ambience", "Design")
"""What placements are sorted into, as offered; groups of one's own are as good."""

MOST_PLACED = 2000


class Cue(Frozen):
    """A moment, or a range, of the film that needs a sound. Frames count from the film's first; ``placed`` are the ids of what answers it."""

    id: str = Field(min_length=1, max_length=60)
    name: str = Field("", max_length=300)
    frame: int = Field(ge=0)
    until: int | None = Field(None, ge=0)
    priority: int = choice(2, PRIORITIES, "Priority", low=1, high=3)
    notes: str = Field("", max_length=4000)
    done: bool = switch(False, "Done", "Answered as it is wanted; its entry on the wanted list is done too")
    wanted: int | None = None
    placed: tuple[str, ...] = Field((), max_length=200)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.until is not None and self.until <= self.frame:
            raise ValueError("A cue ends after it begins.")
        return self


Distance = Literal["near", "far", "next room", "dry"]
DISTANCES = {"near": "near", "far": "far", "next room": "in the next room", "dry": "left as it is"}
_AMOUNTS: dict[str, dict[str, float]] = {
    "near": {"wet_db": -17.0, "dry_db": 0.0},
    "far": {"wet_db": -7.0, "dry_db": -5.0},
    "next room": {"wet_db": -6.0, "dry_db": -14.0, "walls_hz": 900.0},
}


class Place(Frozen):
    """A room that everything placed from one frame up to another is heard in, each nearer or further: ``amounts`` by id, else ``amount``."""

    id: str = Field(min_length=1, max_length=50)
    name: str = Field("", max_length=100)
    frame: int = Field(ge=0)
    until: int = Field(ge=1)
    space: str = choice("hall", tuple(NAMED), "Space")
    size: float = number(1.0, 0.25, 4, "×", "Size", "log", step=0.05)
    amount: Distance = choice("near", DISTANCES, "Heard from")
    amounts: dict[str, Distance] = {}

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.until <= self.frame:
            raise ValueError("A place ends after it begins.")
        return self


class Grouping(Frozen):
    """The name of the group a placement goes to."""

    group: str = choice("", GROUPS, "Group", only=False)


class Balancing(Frozen):
    """What the balance pass loops around a placement, and between which levels it shows them."""

    around_s: float = number(1.0, 0, 20, "s", "Looped around")
    most_s: float = number(4.0, 0.5, 60, "s", "Looped at most", "log", hint="Of a placement longer than that its beginning is looped")
    low_lufs: float = number(-60.0, -96, -24, "LUFS", "Shown from", digits=0, step=1)
    high_lufs: float = number(-6.0, -20, 6, "LUFS", "Shown to", digits=0, step=1)


class Binding(Frozen):
    """A key that drops a fitting sound at the playhead: one of a search, which may ask for a strength."""

    key: str = Field(pattern="^[0-5]$")
    name: str = Field("", max_length=60)
    search: str = Field("", max_length=400)


class Scene(Frozen):
    """A film with its cues and placements.

    The mix's zero is the first frame of the film; ``frames`` are how many it has, ``start`` is the number of the first one in time code.
    """

    film: int = Field(ge=1)
    frame_rate: str = choice("25", tuple(FRAME_RATES), "Frames a second")
    frames: int = Field(ge=1)
    start: int = Field(0, ge=0)
    mix: Mix = Mix()
    cues: tuple[Cue, ...] = Field((), max_length=2000)
    places: tuple[Place, ...] = Field((), max_length=100)
    keys: tuple[Binding, ...] = Field((), max_length=6)
    guide_db: float = number(-18.0, -60, 12, "dB", "Sound of the film", digits=0, step=1)
    guide: bool = switch(False, "Guide", "The film's own sound is heard along; it is never exported")
    target_lufs: float = number(-23.0, -36, -9, "LUFS", "Loudness aimed at", digits=0, step=1)

    @model_validator(mode="after")
    def _sound(self) -> Self:
        named: dict[str, tuple[Member, ...] | tuple[Cue, ...] | tuple[Place, ...]] = {"placements": self.mix.members, "cues": self.cues, "places": self.places}
        for what, some in named.items():
            if len({one.id for one in some}) != len(some):
                raise ValueError(f"Two {what} have the same id; give every one its own.")
        if any(one.id in ("", GUIDE) for one in self.mix.members):
            raise ValueError(f"A placement needs an id, and it cannot be '{GUIDE}'.")
        begins = [cue.frame for cue in self.cues] + [place.frame for place in self.places]
        if any(frame >= self.frames for frame in begins):
            raise ValueError(f"The film has {self.frames} frames; a cue or place begins behind its end.")
        ends = [cue.until for cue in self.cues if cue.until is not None] + [place.until for place in self.places]
        if any(frame > self.frames for frame in ends):
            raise ValueError(f"The film has {self.frames} frames; a cue or place ends behind its end.")
        return self

    @property
    def counted(self) -> FrameRate:
        """How the film's frames follow each other."""
        return FRAME_RATES[self.frame_rate]

    @property
    def seconds(self) -> float:
        """Length of the film (s)."""
        return moment_of(self.frames, self.counted)


def place_at(scene: Scene, member: Member) -> Place | None:
    """The place a placement is heard in: that its anchor lies in, the last one that begins by then."""
    found = None
    for place in scene.places:
        # a moment lies on its frame also when it was rounded to a microsecond
        begins, ends = (moment_of(frame, scene.counted) - 1e-4 for frame in (place.frame, place.until))
        if begins <= member.at_s < ends and (found is None or place.frame >= found.frame):
            found = place
    return found


def room_step(place: Place, member: str) -> Step | None:
    """The room of a place as a step, as near as a placement (by its id) is; None where it is left dry."""
    amount = place.amounts.get(member, place.amount)
    if amount == "dry":
        return None
    space = NAMED[place.space]
    params: dict[str, Any] = {**space, "size_m": min(80.0, max(0.3, space["size_m"] * place.size)), **_AMOUNTS[amount]}
    if "walls_hz" in space and "walls_hz" in _AMOUNTS[amount]:
        params["walls_hz"] = min(space["walls_hz"], _AMOUNTS[amount]["walls_hz"])
    return Step(kind="space", id=f"place-{place.id}", params=checked("space", params).model_dump())


def heard(scene: Scene, guide: Node | None = None) -> Mix:
    """What a scene sounds like: its mix with the rooms of its places, exactly as long as the film.

    Parameters
    ----------
    scene : Scene
    guide : Node, optional
        The film's own sound, heard along where the scene says so; without it the scene sounds as it is exported.

    Returns
    -------
    Mix
    """
    members = []
    for member in scene.mix.members:
        place = place_at(scene, member)
        step = None if place is None else room_step(place, member.id)
        members.append(member if step is None else member.model_copy(update={"chain": (*member.chain, step)}))
    if guide is not None and scene.guide:
        members.append(Member(id=GUIDE, name="The film's own sound", node=guide, gain_db=scene.guide_db))
    return scene.mix.model_copy(update={"members": tuple(members), "length_s": scene.seconds})


def on_frame(frame: int, rate: FrameRate) -> float:
    """The moment (s) of a frame as placements have it, rounded to a microsecond.

    >>> on_frame(1, FRAME_RATES["29.97"])
    0.033367
    """
    return round(moment_of(frame, rate), 6)


def nearest_frame(at_s: float, rate: FrameRate) -> int:
    """The frame whose beginning lies nearest to a moment (s); negative before the film.

    >>> nearest_frame(0.06, FRAME_RATES["25"]), nearest_frame(0.0599, FRAME_RATES["25"])
    (2, 1)
    """
    exact = Fraction(at_s).limit_denominator(10**9) * rate.rate
    return int((exact + Fraction(1, 2)).__floor__())
