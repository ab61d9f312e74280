"""Placements over HTTP: put on frames, tapped in, replaced, made to fill a range or fit a length; how loud each is."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.asking import InQuestion
from oskren.api.common import InLibrary, InStudio
from oskren.api.stack.told import AMix, ByDigest, TheMix, mix_of
from oskren.core.nodes.model import Member, Mix
from oskren.core.picture.balance import Over
from oskren.core.picture.scene import MOST_PLACED, Place, Scene, heard
from oskren.core.picture.tapping import Tap, Tapping, latency_of
from oskren.core.picture.tonal import TonalBed
from oskren.store.documents import designs, films, spreads
from oskren.work.picture import placing, tasks, tonal
from oskren.work.picture.placing import Onto, Placements
from oskren.work.ship.items import variation_name

router = APIRouter(prefix="/lib/{library}/picture", tags=["picture"])
Sounds = list[int]


class ToHearScene(BaseModel):
    """A scene as it is to be heard; with a level for the film's own sound (dB) that is heard along."""

    mix: AMix
    film: int
    frame_rate: str
    frames: int = Field(ge=1)
    places: list[Place] = Field([], max_length=100)
    guide_db: float | None = None


class ToPlace(BaseModel):
    """Sounds, designs and variations for a frame."""

    onto: Onto
    frame: int = Field(ge=0)
    sounds: Sounds = Field([], max_length=200)
    designs: Sounds = Field([], max_length=200)
    draws: Sounds = Field([], max_length=200)


class ToTap(BaseModel):
    """Taps, and the candidates of each list."""

    onto: Onto
    taps: list[Tap] = Field(min_length=1, max_length=1000)
    lists: list[Sounds] = Field(min_length=1, max_length=2)
    searches: list[str] = Field([], max_length=2)
    tapping: Tapping = Tapping()


class ToReplace(BaseModel):
    """Placements, and the sounds they are to have in turn."""

    members: list[Member] = Field(min_length=1, max_length=MOST_PLACED)
    sounds: Sounds = Field(min_length=1, max_length=1000)


class ToFill(BaseModel):
    """A sound, and the frames it is to fill."""

    onto: Onto
    sound: int
    frame: int = Field(ge=0)
    until: int = Field(ge=1)


class ToTone(BaseModel):
    """Sounds to make a tonal bed of, the frames it is to fill, and the one it swells to."""

    onto: Onto
    sounds: Sounds = Field(min_length=1, max_length=1000)
    frame: int = Field(ge=0)
    until: int = Field(ge=1)
    swell: int | None = Field(None, ge=0)
    bed: TonalBed = TonalBed()


class ToFit(BaseModel):
    """A placement of a mix, and how long it is to sound (s)."""

    mix: AMix
    id: str = Field(min_length=1, max_length=60)
    seconds: float = Field(gt=0, le=86_400)


class Run(BaseModel):
    """Placements as they are then."""

    members: list[Member]


class Balance(BaseModel):
    """By id of each placement how loud it is at its loudest (LUFS over 0.4 s), before its gain; None where it is silent."""

    loudest: dict[str, float | None]


class Tapped(BaseModel):
    """Taps along with clicks (s)."""

    taps: list[float] = Field(max_length=200)
    clicks: list[float] = Field(max_length=200)


class MadeHere(BaseModel):
    """A design, or a variation that was kept."""

    kind: Literal["design", "draw"]
    id: int
    name: str


class CueWords(BaseModel):
    """A search for what a cue needs; empty where none of its words finds anything."""

    search: str


class Late(BaseModel):
    """How late taps come (ms)."""

    latency_ms: float


@router.post("/heard")
def heard_scene(studio: InStudio, library: InLibrary, wanted: ToHearScene) -> ByDigest:
    """A scene's mix as it is heard: in the rooms of its places, as long as the film, with the film's own sound where that is asked for; told, by its digest."""

    def made() -> Mix:
        mix = mix_of(studio, wanted.mix)
        scene = Scene(film=wanted.film, frame_rate=wanted.frame_rate, frames=wanted.frames, places=tuple(wanted.places), mix=mix)
        if wanted.guide_db is None:
            return heard(scene)
        guide = films.guide_of(films.film(library, wanted.film))
        return heard(scene.model_copy(update={"guide": True, "guide_db": wanted.guide_db}), guide)

    return ByDigest(digest=studio.told.made(f"{library.folder} {wanted.model_dump_json()}", made))


@router.post("/place")
def place(studio: InStudio, library: InLibrary, wanted: ToPlace) -> Placements:
    """Sounds, designs and variations on a frame, each by its anchor, in the group that fits."""
    return placing.place(studio, library, wanted.onto, wanted.frame, wanted.sounds, wanted.designs, wanted.draws)


@router.post("/tap")
def tap(library: InLibrary, wanted: ToTap) -> Placements:
    """A candidate on the frame of every tap, in turn or at random, without the one before again."""
    return placing.tap(library, wanted.onto, wanted.taps, wanted.lists, wanted.tapping, wanted.searches)


@router.post("/latency")
def latency(_: InLibrary, wanted: Tapped) -> Late:
    """How late somebody taps who taps along with clicks."""
    return Late(latency_ms=round(max(0.0, latency_of(wanted.taps, wanted.clicks)) * 1000, 1))


@router.get("/made")
def made(library: InLibrary, project: Annotated[int, Query(ge=1)] = 1) -> list[MadeHere]:
    """Designs of a project, and the variations of it that were kept, by name."""
    return [MadeHere(kind="design", id=row.id, name=row.name) for row in designs.designs(library) if row.project == project] + [
        MadeHere(kind="draw", id=id, name=variation_name(name, number)) for id, name, number in spreads.kept_draws(library, project)
    ]


@router.get("/words")
def cue_words(library: InLibrary, cue: Annotated[str, Query(max_length=300)], project: Annotated[int, Query(ge=1)] = 1) -> CueWords:
    """What the library is asked with for a cue: all of its words, or the one that says most."""
    return CueWords(search=placing.words_for(library, cue, project))


@router.post("/replace")
def replace_run(studio: InStudio, library: InLibrary, wanted: ToReplace) -> Run:
    """Placements with the sounds of another set, in order of time."""
    return Run(members=placing.replaced(studio, library, wanted.members, wanted.sounds))


@router.post("/fill")
def fill_range(studio: InStudio, library: InLibrary, wanted: ToFill) -> Placements:
    """A sound as a bed that fills a range without a seam."""
    return placing.bed(studio, library, wanted.onto, wanted.sound, wanted.frame, wanted.until)


@router.post("/tonal")
def tonal_range(studio: InStudio, library: InLibrary, wanted: ToTone) -> Placements:
    """Sounds with a pitch as a bed in one chord that fills a range, swelling to a frame."""
    return tonal.tonal_bed(studio, library, wanted.onto, wanted.sounds, wanted.frame, wanted.until, wanted.bed, wanted.swell)


@router.post("/fit")
def fit(studio: InStudio, library: InLibrary, wanted: ToFit) -> Run:
    """A placement stretched to a length."""
    return Run(members=[placing.fitted(studio, library, mix_of(studio, wanted.mix), wanted.id, wanted.seconds)])


@router.post("/balance")
async def balance(question: InQuestion, mix: TheMix) -> Balance:
    """How loud each placement is. Ends when nobody waits for it any more."""
    return Balance(loudest=await question.answered(tasks.balance, await question.present(mix)))


@router.post("/loudness")
async def scene_loudness(question: InQuestion, mix: TheMix) -> Over:
    """Loudness of a scene over time. Ends when nobody waits for it any more."""
    return Over(**await question.answered(tasks.over_time, await question.present(mix)))
