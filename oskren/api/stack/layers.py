"""Stack over HTTP: layers made, tuned, swapped, rolled, renewed, frozen."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.common import InLibrary, InStudio
from oskren.api.stack.told import TheMix
from oskren.core.envelope import Envelope, smoothed
from oskren.core.errors import OskrenError
from oskren.core.nodes.heard import Heard
from oskren.core.nodes.members import member_node
from oskren.core.nodes.model import Member, Mix
from oskren.core.stack import tune
from oskren.work.engine.studio import Studio
from oskren.work.stack import designs as work
from oskren.work.stack import sources
from oskren.work.stack import tasks as summing
from oskren.work.stack.sources import FoundSources

router = APIRouter(prefix="/lib/{library}", tags=["stack"])


class Tone(BaseModel):
    """Fundamental of a layer as it is heard, with the nearest note; None where it has none."""

    id: str
    hz: float | None
    confidence: float
    note: str
    cents: float


class Tuning(BaseModel):
    """Bring a layer to a note (A2, 110 Hz) or to another layer, there to the nearest octave unless ``exact``."""

    mix: Mix
    id: str
    to_layer: str = ""
    to_note: str = Field("", max_length=20)
    exact: bool = False


class OfLayers(BaseModel):
    """Layers of a design something is done to."""

    mix: Mix
    ids: list[str] = Field([], max_length=500)


class Swapping(BaseModel):
    mix: Mix
    id: str
    sound: int
    keep_length: bool = False


class Rolling(OfLayers):
    keep_length: bool = False
    seed: int | None = Field(None, ge=0)
    project: int = 1


class Filling(BaseModel):
    mix: Mix
    words: str = Field(max_length=2000)
    seed: int | None = Field(None, ge=0)
    project: int = 1


class NewerLayer(BaseModel):
    id: str
    name: str
    gone: bool


class Renewed(BaseModel):
    mix: Mix
    changed: list[str]


class Smoothing(BaseModel):
    """Make an envelope rounder: a mean over ``width_s``, then fewer points, none further than ``tolerance`` off."""

    envelope: Envelope
    width_s: float = Field(0.08, gt=0, le=10)
    tolerance: float = Field(0.2, gt=0, le=1000)


@router.get("/stack/layer")
def new_layer(studio: InStudio, library: InLibrary, sound: Annotated[int | None, Query()] = None, design: Annotated[int | None, Query()] = None) -> Member:
    """A layer of a sound or of a design as it is now; it is in no design yet."""
    if (sound is None) == (design is None):
        raise OskrenError("Say what the layer is made of: a sound or a design.")
    return work.layer_of_sound(library, sound) if sound is not None else work.layer_of_design(studio, library, design or 0)


class LayerHeard(BaseModel):
    """A sound to be a layer as it was heard, in a sum of a layout."""

    sound: int
    heard: Heard = Heard()
    layout: str = Field("stereo", max_length=16)


@router.post("/stack/layer")
def layer_as_heard(studio: InStudio, library: InLibrary, wanted: LayerHeard) -> Member:
    """A layer that sounds as a sound was heard; it is in no design yet."""
    return work.layer_as_heard(studio, library, wanted.sound, wanted.heard, wanted.layout)


@router.post("/stack/tones")
def tones(studio: InStudio, library: InLibrary, mix: Mix) -> list[Tone]:
    """The fundamental of every layer, as it is heard after its pitch and chain."""
    return _tones(studio, library, mix)


def _tones(studio: Studio, library: Any, mix: Mix) -> list[Tone]:
    mix, _ = studio.present(library, mix)
    nodes = [member_node(member) for member in mix.members if not member.mute]
    asked = studio.workers.submit("asked", summing.tones, studio.place(library, *nodes), [node.model_dump(mode="json") for node in nodes])
    heard = asked.result()
    told, left = [], iter(heard)
    for member in mix.members:
        hz, sure = (None, None) if member.mute else next(left)
        tonal = hz is not None and (sure or 0.0) >= tune.TONAL
        note, cents = tune.note_of(hz) if tonal and hz is not None else ("", 0.0)
        told.append(Tone(id=member.id, hz=round(hz, 3) if tonal and hz is not None else None, confidence=sure or 0.0, note=note, cents=round(cents, 1)))
    return told


def _member(mix: Mix, id: str) -> Member:
    found = next((member for member in mix.members if member.id == id), None)
    if found is None:
        raise OskrenError("That layer is not in the design any more.")
    return found


@router.post("/stack/tune")
def tune_layer(studio: InStudio, library: InLibrary, wanted: Tuning) -> Member:
    """The layer, pitched so that its fundamental is where it was wanted."""
    member = _member(wanted.mix, wanted.id)
    measured = {tone.id: tone for tone in _tones(studio, library, wanted.mix)}
    hz = measured[member.id].hz
    if hz is None:
        raise OskrenError(f"{member.name} has no clear pitch; only a tonal layer can be tuned.")
    if wanted.to_layer:
        target = measured[_member(wanted.mix, wanted.to_layer).id].hz
        if target is None:
            raise OskrenError(f"{_member(wanted.mix, wanted.to_layer).name} has no clear pitch to tune to.")
    else:
        target = tune.frequency_of(wanted.to_note)
    shift = tune.shift_to(hz, target, nearest_octave=bool(wanted.to_layer) and not wanted.exact)
    pitch = member.pitch_st + shift
    if not -48 <= pitch <= 36:
        raise OskrenError(f"{member.name} would have to be pitched by {pitch:+.1f} st; it can go from -48 to +36 st.")
    return member.model_copy(update={"pitch_st": round(pitch, 4), "frozen": None})


@router.post("/stack/swap")
def swap(studio: InStudio, library: InLibrary, wanted: Swapping) -> Mix:
    """The design with another sound in a layer; its placement, chain and curves stay."""
    member = _member(wanted.mix, wanted.id)
    fresh = sources.swap(studio, library, member, wanted.sound, keep_length=wanted.keep_length)
    return wanted.mix.model_copy(update={"members": tuple(fresh if one is member else one for one in wanted.mix.members)})


@router.post("/stack/roll")
def roll(studio: InStudio, library: InLibrary, wanted: Rolling) -> FoundSources:
    """The design with other sources at random for layers, each from its own search; what finds nothing stays and is said."""
    return sources.roll(studio, library, wanted.mix, set(wanted.ids), keep_length=wanted.keep_length, seed=wanted.seed, project=wanted.project)


@router.post("/stack/fill")
def fill(library: InLibrary, wanted: Filling) -> FoundSources:
    """The design with one more layer for every clause of words; a clause that finds nothing is said."""
    return sources.fill(library, wanted.mix, wanted.words, seed=wanted.seed, project=wanted.project)


@router.post("/stack/newer")
def newer(library: InLibrary, mix: TheMix) -> list[NewerLayer]:
    """Layers whose sound or design has changed since they were made, or is gone."""
    return [NewerLayer(**asdict(one)) for one in work.newer_layers(library, mix)]


@router.post("/stack/renew")
def renew(studio: InStudio, library: InLibrary, wanted: OfLayers) -> Renewed:
    """Take the newer state for layers; for all of them when none is named."""
    mix, changed = work.renew(studio, library, wanted.mix, set(wanted.ids) or None)
    return Renewed(mix=mix, changed=changed)


@router.post("/stack/freeze")
def freeze(studio: InStudio, library: InLibrary, wanted: OfLayers) -> Mix:
    """Freeze layers or groups to audio."""
    mix = wanted.mix
    for id in wanted.ids:
        mix = work.freeze(studio, library, mix, id)
    return mix


@router.post("/stack/smooth")
def smooth(library: InLibrary, wanted: Smoothing) -> Envelope:
    """An envelope with fewer and rounder points."""
    points = smoothed(wanted.envelope.points, wanted.width_s, wanted.tolerance)
    return wanted.envelope.model_copy(update={"points": points})
