"""Recording: takes of the browser's input, the simulated field recorder, and offloading a card."""

from __future__ import annotations

import asyncio
import base64
from dataclasses import asdict
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from pydantic import BaseModel, ConfigDict, Field

from oskren.api.common import InLibrary, InStudio, InTakes, Started, started
from oskren.api.doors import whole_path
from oskren.core.controls import Control, controls_of, number
from oskren.core.errors import OskrenError
from oskren.devices.places import PLACES
from oskren.devices.props import PROPS
from oskren.devices.recorder import RATE, RecorderSettings, Running
from oskren.store.describe.arrivals import ArrivalNotes
from oskren.work.gather import card as cards
from oskren.work.gather import offloading
from oskren.work.gather.card import CardTake
from oskren.work.gather.finishing import Finished, finish
from oskren.work.gather.importing import begin_follow_up
from oskren.work.gather.takes import OpenTake, TakeChange, TakeFacts

router = APIRouter(tags=["recording"])


class TakeBegun(BaseModel):
    take: str


class TakeStored(BaseModel):
    frames: int


@router.post("/lib/{library}/takes")
def begin_take(library: InLibrary, takes: InTakes, new: TakeFacts) -> TakeBegun:
    """Begin a recording; its audio is stored as it arrives."""
    return TakeBegun(take=takes.begin(library.folder.name, new))


@router.get("/takes")
def open_takes(takes: InTakes) -> list[OpenTake]:
    """Takes that were begun and have not ended."""
    return takes.unfinished()


@router.post("/takes/{take}/blocks")
async def add_to_take(takes: InTakes, take: str, position: Annotated[int, Query(ge=0)], request: Request) -> TakeStored:
    """Store a block of raw float32 at a frame position."""
    return TakeStored(frames=await asyncio.to_thread(takes.add, take, position, await request.body()))


@router.patch("/takes/{take}")
def describe_take(takes: InTakes, take: str, change: TakeChange) -> TakeFacts:
    """Say something about a take while it is recorded: slate note, good, moments."""
    return takes.describe(take, change)


@router.post("/takes/{take}/finish")
def finish_take(studio: InStudio, takes: InTakes, take: str, recovered: str = "") -> Finished:
    """End a recording (or one that its page left): it becomes a sound of its library."""
    done = finish(studio, takes, take, recovered[:400])
    begin_follow_up(studio, studio.home.library(done.library))
    return done


# ---- the simulated recorder


class CardFile(BaseModel):
    """A file of the recorder's card."""

    name: str
    seconds: float
    size: int
    begun: str


class PropView(BaseModel):
    key: str
    name: str
    gesture: str


class PlaceView(BaseModel):
    """A place to record in; levels in dB SPL."""

    key: str
    name: str
    wind_db: float
    hum_db: float
    decay_s: float
    passing: str


class RecorderView(BaseModel):
    """The recorder as it stands. Levels are peaks in full scale per channel, ``held`` the highest since the meter was cleared."""

    on: bool
    card: str
    recording: str = ""
    seconds: float = 0.0
    trouble: str = ""
    peaks: list[float] = [0.0, 0.0]
    held: list[float] = [0.0, 0.0]
    clips: int = 0
    passing: str = ""
    place: str = "gear room"
    gain_db: float = 0.0
    low_cut: bool = False
    shield: bool = False
    distance_m: float = 0.8
    angle_deg: float = 0.0
    files: list[CardFile] = []


class RecorderKit(BaseModel):
    """What the recorder can be set to."""

    rate: int
    props: list[PropView]
    places: list[PlaceView]
    controls: list[Control]


class RecorderChange(BaseModel):
    """How to set the recorder; what is left out stays."""

    model_config = ConfigDict(extra="forbid")

    on: bool | None = None
    place: str | None = None
    gain_db: float | None = None
    low_cut: bool | None = None
    shield: bool | None = None
    distance_m: float | None = None
    angle_deg: float | None = None
    clear_meter: bool = False


class Gesture(BaseModel):
    """A prop to play, and how hard (0..1)."""

    prop: str
    effort: float = number(0.6, 0, 1, "", "Effort", step=0.05)


class HeardLive(BaseModel):
    """What the recorder heard since a position: raw float32 of two channels, base64, beginning at ``position`` (frames)."""

    position: int
    samples: str


def get_recorder(request: Request) -> Running:
    """The recorder of this home."""
    running: Running = request.app.state.recorder
    return running


InRecorder = Annotated[Running, Depends(get_recorder)]


def _view(running: Running, *, files: bool = True) -> RecorderView:
    listed = [CardFile(**asdict(one)) for one in running.files()] if files else []
    if not running.on:
        return RecorderView(on=False, card=str(running.card.folder), files=listed)
    with running.lock:
        recorder = running.recorder()
        return RecorderView(
            on=True,
            card=str(running.card.folder),
            recording=recorder.recording,
            seconds=recorder.recorded / RATE,
            trouble=recorder.trouble,
            peaks=[float(value) for value in recorder.peaks],
            held=[float(value) for value in recorder.held],
            clips=recorder.clips,
            passing=recorder.passing,
            files=listed,
            **recorder.settings.model_dump(),
        )


@router.get("/recorder/kit")
def recorder_kit() -> RecorderKit:
    """Props and places of the simulated recorder, and the ranges of its settings."""
    return RecorderKit(
        rate=RATE,
        props=[PropView(key=key, name=one.name, gesture=one.gesture) for key, one in PROPS.items()],
        places=[
            PlaceView(key=key, name=one.name, wind_db=one.wind_db, hum_db=one.hum_db, decay_s=one.decay_s, passing=one.passing) for key, one in PLACES.items()
        ],
        controls=[*controls_of(RecorderSettings), *controls_of(Gesture)],
    )


@router.get("/recorder")
def recorder(running: InRecorder, files: bool = True) -> RecorderView:
    """How the recorder is set, what its meter shows, what lies on its card."""
    return _view(running, files=files)


@router.patch("/recorder")
def set_recorder(running: InRecorder, change: RecorderChange) -> RecorderView:
    """Switch the recorder on or off, set it, carry it to another place."""
    if change.on is not None:
        running.switch(change.on)
    values = change.model_dump(exclude_none=True, exclude={"on", "clear_meter"})
    if values or change.clear_meter:
        with running.lock:
            running.recorder().set(values)
            if change.clear_meter:
                running.recorder().clear_meter()
    return _view(running)


@router.post("/recorder/play")
def play_prop(running: InRecorder, gesture: Gesture) -> RecorderView:
    """Play a prop in front of the microphones."""
    recorder = running.recorder()
    wave = recorder.gesture(gesture.prop, gesture.effort)
    with running.lock:
        recorder.play(wave)
    return _view(running, files=False)


@router.post("/recorder/start")
def start_recorder(running: InRecorder) -> RecorderView:
    """Begin a take on the card."""
    with running.lock:
        running.recorder().start()
    return _view(running)


@router.post("/recorder/stop")
def stop_recorder(running: InRecorder) -> RecorderView:
    """End the take."""
    with running.lock:
        running.recorder().stop()
    return _view(running)


@router.get("/recorder/heard")
def recorder_heard(running: InRecorder, since: Annotated[int, Query(ge=0)]) -> HeardLive:
    """What the recorder heard since a position, for listening along."""
    with running.lock:
        position, samples = running.recorder().heard(since)
    return HeardLive(position=position, samples=base64.b64encode(samples.tobytes()).decode())


@router.post("/recorder/erase")
def erase_card(running: InRecorder) -> RecorderView:
    """Take every take off the recorder's card."""
    with running.lock:
        if running.on and running.recorder().recording:
            raise OskrenError("The recorder is running: end the take before you erase its card.")
        running.card.erase()
    return _view(running)


# ---- offloading


class CardLook(BaseModel):
    """What lies on a card."""

    card: str
    takes: list[CardTake]
    skipped: list[dict[str, str]]


class Looking(BaseModel):
    """A card to look at: a folder (the recorder's own when none is given), and how its takes would be named."""

    folder: str = Field("", max_length=4000)
    template: str = Field(cards.TEMPLATE, max_length=300)
    place: str = Field("", max_length=400)
    project: int = 1


class Offloading(Looking):
    """Takes to offload: all when none are named. ``second`` is a folder for second copies."""

    only: list[str] = Field([], max_length=cards.MOST_TAKES)
    second: str = Field("", max_length=4000)
    notes: ArrivalNotes = ArrivalNotes()


def _card(running: Running, folder: str) -> Path:
    if folder.strip():
        return whole_path(folder, "the card")
    running.card.folder.mkdir(parents=True, exist_ok=True)
    return running.card.folder


@router.post("/lib/{library}/card")
def look_at_card(library: InLibrary, running: InRecorder, wanted: Looking) -> CardLook:
    """What lies on a card, and how each take would be named."""
    card = _card(running, wanted.folder)
    view = cards.look(library, card, wanted.template, wanted.place, wanted.project)
    return CardLook(card=str(card), takes=view.takes, skipped=view.skipped)


@router.post("/lib/{library}/offload")
def offload_card(studio: InStudio, library: InLibrary, running: InRecorder, wanted: Offloading) -> Started:
    """Copy, compare, name and import the takes of a card, as a job."""
    card = _card(running, wanted.folder)
    second = whole_path(wanted.second, "the second copies") if wanted.second.strip() else None
    cards.look(library, card, wanted.template, wanted.notes.place, wanted.project)
    asked = offloading.Offloading(
        card=str(card), template=wanted.template, notes=wanted.notes, project=wanted.project, second=str(second or ""), only=wanted.only
    )
    return started(studio.jobs.start(offloading.OFFLOAD, library, f"Offloading {card.name}", asked))
