"""Stack: layers on the strike line, meters of the sum, sources swapped and rolled, freezing, prints, performances."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel, Field

from oskren.api.asking import InQuestion
from oskren.api.common import InLibrary, InStudio, SoundFacts, Started, facts_of, started
from oskren.api.mend.chain import LevelAfter
from oskren.api.stack.designs import DesignView
from oskren.api.stack.told import AMix, TheMix, mix_of
from oskren.core.audio.layouts import CHANNELS
from oskren.core.audio.places import SPOTTED, WIDE, spots
from oskren.core.envelope import Envelope, smoothed
from oskren.core.errors import OskrenError
from oskren.core.nodes.chains import chain_in
from oskren.core.nodes.heard import Heard
from oskren.core.nodes.missing import lacking
from oskren.core.nodes.model import Member, Mix, Step, member_node, node_hash, sounding, thawed
from oskren.core.stack import tune
from oskren.core.stack.crowding import Crowding
from oskren.core.stack.perform import Performance, laid_out
from oskren.core.stack.shares import SumFacts, warned
from oskren.store.describe import wanted as wanting
from oskren.store.documents import designs as kept
from oskren.work import tasks
from oskren.work.engine.studio import Studio
from oskren.work.stack import designs as work

router = APIRouter(prefix="/lib/{library}", tags=["stack"])


class Placed(BaseModel):
    """Where a layer's own audio lies from the strike line (s), and the key of its waveform.

    ``whole_s`` is how long its source is before it is trimmed; ``line`` gives pairs (s of the layer's audio, s of the source) between
    which moments of the source, as envelopes have them, are carried along straight lines. ``stale`` says that it is frozen
    to what it was before, ``missing`` which file it lacks: it is passed over, the rest sounds.
    """

    id: str
    start_s: float
    seconds: float
    key: str
    rate: int
    channels: int
    frames: int
    anchor_s: float
    whole_s: float
    line: list[list[float]]
    stale: bool
    missing: str = ""


class Speaker(BaseModel):
    """A loudspeaker of a wide sum: x from -1 (left) to 1, y from -1 (back) to 1 (front)."""

    name: str
    x: float
    y: float


class Layout(BaseModel):
    """Every layer placed, and the length of the sum."""

    layers: list[Placed]
    start_s: float
    seconds: float
    rate: int
    speakers: list[Speaker]


class Sum(BaseModel):
    """Meters of the sum, what each layer gives to it, and a sentence when it is near full scale or over."""

    sample_peak_dbfs: float | None
    true_peak_dbtp: float | None
    integrated_lufs: float | None
    max_momentary_lufs: float | None
    max_short_term_lufs: float | None
    seconds: float
    facts: SumFacts | None
    warning: str
    over: bool


class Printing(BaseModel):
    """What to print: ``design`` is the one it is a print of, ``wanted`` an entry of the wanted list it answers."""

    mix: Mix
    name: str = Field(min_length=1, max_length=200)
    category: str = ""
    design: int | None = None
    wanted: int | None = None


class Shifting(BaseModel):
    """Print, and take the print as a layer that is pitched and goes through a chain."""

    mix: Mix
    name: str = Field(min_length=1, max_length=200)
    design: int | None = None
    semitones: float = Field(12.0, ge=-48, le=36)
    keep_length: bool = False
    chain: list[Step] = []


class Shifted(BaseModel):
    sound: SoundFacts
    member: Member


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


class OneChain(BaseModel):
    """The chain of a layer or a group by its id, or that on the sum for none."""

    mix: AMix
    id: str = Field("", max_length=60)


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


class Replacing(BaseModel):
    """Put the sound ``by`` in place of ``sound`` in every design."""

    sound: int
    by: int
    keep_length: bool = False


class Replaced(BaseModel):
    id: int
    name: str
    layers: int


class NewerLayer(BaseModel):
    id: str
    name: str
    gone: bool


class Renewed(BaseModel):
    mix: Mix
    changed: list[str]


class StaleThing(BaseModel):
    kind: Literal["design", "print"]
    id: int
    name: str
    why: str


class Smoothing(BaseModel):
    """Make an envelope rounder: a mean over ``width_s``, then fewer points, none further than ``tolerance`` off."""

    envelope: Envelope
    width_s: float = Field(0.08, gt=0, le=10)
    tolerance: float = Field(0.2, gt=0, le=1000)


MOST_KNOTS = 200


@router.post("/stack/layout")
def layout(studio: InStudio, library: InLibrary, mix: TheMix) -> Layout:
    """Where every layer lies; muted ones too. Nothing is rendered."""
    renderer = studio.renderer(library)
    shape = renderer.output_shape(mix)
    rate = renderer.mix_rate(mix)
    gone = library.media_found(mix)[1]
    placed = []
    for member in mix.members:
        _, own, start = renderer.placed(mix, member)
        node, unfrozen = member_node(member), member_node(thawed(member))
        plain = renderer.shape(node)
        way = renderer.time_map(unfrozen)
        studio.note(library, node, plain)
        placed.append(
            Placed(
                id=member.id,
                start_s=start / rate,
                seconds=own.frames / rate,
                key=node_hash(node),
                rate=plain.rate,
                channels=plain.channels,
                frames=plain.frames,
                anchor_s=way.to_output(member.anchor_s),
                whole_s=renderer.output_shape(member.node).seconds,
                line=_line([list(knot) for knot in zip(way.outputs, way.inputs, strict=True)]),
                missing=next((gone[audio] for audio in lacking(node, gone)), ""),
                stale=member.frozen is not None and member.frozen.of is not None and node_hash(member.frozen.of) != node_hash(unfrozen),
            )
        )
    wide = spots(mix.layout) if mix.layout in SPOTTED and mix.layout in WIDE else []
    speakers = [Speaker(name=CHANNELS[mix.layout][lane], x=spot[0], y=spot[1]) for lane, spot in enumerate(wide) if spot is not None]
    return Layout(layers=placed, start_s=-shape.zero / shape.rate, seconds=shape.frames / shape.rate, rate=shape.rate, speakers=speakers)


def _line(knots: list[list[float]]) -> list[list[float]]:
    step = max(1, len(knots) // MOST_KNOTS)
    kept = knots[::step]
    return kept if kept[-1] == knots[-1] else [*kept, knots[-1]]


@router.post("/stack/sum")
async def measure_sum(question: InQuestion, mix: TheMix) -> Sum:
    """Render the sum and read its meters. Ends by itself when nobody waits for it any more."""
    names = ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs", "max_momentary_lufs", "max_short_term_lufs")
    mix = await question.present(mix)
    if not sounding(mix):
        return Sum(**dict.fromkeys(names), seconds=0.0, facts=None, warning="", over=False)
    # meters may take their time: what is being heard goes first
    found = await question.answered(tasks.sum_meters, mix)
    facts = SumFacts(**found["facts"])
    measures: dict[str, Any] = {name: found["measures"][name] for name in names}
    warning, over = warned(mix, measures["true_peak_dbtp"], facts)
    return Sum(**measures, seconds=found["seconds"], facts=facts, warning=warning, over=over)


@router.post("/stack/crowding")
async def crowded(question: InQuestion, mix: TheMix) -> Crowding:
    """Which layers share a band, and when; with a dip offered, and what it would do, measured. Ends when nobody waits for it any more."""
    return Crowding(**await question.answered(tasks.crowding, await question.present(mix)))


@router.post("/stack/levels")
async def step_levels(question: InQuestion, studio: InStudio, wanted: OneChain) -> list[LevelAfter]:
    """Level before and after each step of a layer, a group, or the sum, as the sound goes through it. Ends when nobody waits for it any more."""
    mix = mix_of(studio, wanted.mix)
    node, ids = chain_in(mix, wanted.id)
    if not node.chain or not sounding(mix):
        return []
    found = await question.answered(tasks.chain_levels, await question.present(node), ids)
    return [LevelAfter(**one) for one in found]


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
    asked = studio.workers.submit("asked", tasks.tones, studio.place(library, *nodes), [node.model_dump(mode="json") for node in nodes])
    heard = asked.result()
    told, left = [], iter(heard)
    for member in mix.members:
        hz, sure = (None, None) if member.mute else next(left)
        tonal = hz is not None and (sure or 0.0) >= tune.TONAL
        note, cents = tune.note_of(hz) if tonal and hz is not None else ("", 0.0)
        told.append(Tone(id=member.id, hz=round(hz, 3) if tonal and hz is not None else None, confidence=sure or 0.0, note=note, cents=round(cents, 1)))
    return told


def _member(mix: Mix, number: str) -> Member:
    found = next((member for member in mix.members if member.id == number), None)
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
    fresh = work.swap(studio, library, member, wanted.sound, keep_length=wanted.keep_length)
    return wanted.mix.model_copy(update={"members": tuple(fresh if one is member else one for one in wanted.mix.members)})


@router.post("/stack/roll")
def roll(studio: InStudio, library: InLibrary, wanted: Rolling) -> Mix:
    """The design with other sources at random for layers, each from its own search."""
    return work.roll(studio, library, wanted.mix, set(wanted.ids), keep_length=wanted.keep_length, seed=wanted.seed, project=wanted.project)


@router.post("/stack/fill")
def fill(library: InLibrary, wanted: Filling) -> Mix:
    """The design with one more layer for every clause of words."""
    return work.fill(library, wanted.mix, wanted.words, seed=wanted.seed, project=wanted.project)


@router.post("/stack/replace")
def replace(studio: InStudio, library: InLibrary, wanted: Replacing) -> list[Replaced]:
    """Put another sound in place of one in every design; locked layers stay."""
    changed = work.replace_everywhere(studio, library, wanted.sound, wanted.by, keep_length=wanted.keep_length)
    return [Replaced(id=number, name=name, layers=count) for number, name, count in changed]


@router.post("/stack/newer")
def newer(library: InLibrary, mix: TheMix) -> list[NewerLayer]:
    """Layers whose sound or design has changed since they were made, or is gone."""
    return [NewerLayer(**asdict(one)) for one in work.newer_layers(library, mix)]


@router.post("/stack/renew")
def renew(studio: InStudio, library: InLibrary, wanted: OfLayers) -> Renewed:
    """Take the newer state for layers; for all of them when none is named."""
    mix, changed = work.renew(studio, library, wanted.mix, set(wanted.ids) or None)
    return Renewed(mix=mix, changed=changed)


@router.get("/stack/stale")
def stale(library: InLibrary) -> list[StaleThing]:
    """Designs and prints made of what has changed since."""
    return [StaleThing(**asdict(one)) for one in work.stale(library)]


@router.post("/stack/rebuild")
def rebuild(studio: InStudio, library: InLibrary) -> Started:
    """Bring all of that up to date."""
    return started(studio.jobs.start(work.REBUILD, library, "Rebuilding what is stale", work.Rebuilding()))


@router.post("/stack/freeze")
def freeze(studio: InStudio, library: InLibrary, wanted: OfLayers) -> Mix:
    """Freeze layers or groups to audio."""
    mix = wanted.mix
    for number in wanted.ids:
        mix = work.freeze(studio, library, mix, number)
    return mix


@router.post("/stack/print")
def print_mix(studio: InStudio, library: InLibrary, wanted: Printing) -> SoundFacts:
    """Print a design to the library: audio of its own, with its lineage."""
    number = work.print_design(studio, library, wanted.mix, wanted.name, wanted.category, wanted.design)
    if wanted.wanted is not None:
        wanting.answer(library, wanted.wanted, "sound", [number])
    return facts_of(library, library.sound(number))


@router.post("/stack/print-and-shift")
def print_and_shift(studio: InStudio, library: InLibrary, wanted: Shifting) -> Shifted:
    """Print, and give the print back as a layer, pitched and through a chain, on the same strike line."""
    number = work.print_design(studio, library, wanted.mix, wanted.name, design=wanted.design)
    layer = work.layer_of_sound(library, number)
    values = {"pitch_st": wanted.semitones, "keep_length": wanted.keep_length, "chain": tuple(wanted.chain)}
    return Shifted(sound=facts_of(library, library.sound(number)), member=layer.model_copy(update=values))


@router.post("/stack/perform")
def perform(library: InLibrary, performance: Performance) -> Mix:
    """What was played, as a mix: one layer for every key that was pressed."""
    return laid_out(performance)


class NewPerformance(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    performance: Performance
    project: int = 1


@router.post("/stack/performances")
def keep_performance(library: InLibrary, new: NewPerformance) -> DesignView:
    """Keep a performance as a design, whose placements can be edited and printed."""
    if not new.performance.played:
        raise OskrenError("Nothing was played yet; press keys while it records.")
    row = kept.add(library, new.name, laid_out(new.performance), new.project)
    return DesignView(id=row.id, name=row.name, mix=Mix.model_validate(row.mix), created=row.created, project=row.project)


@router.post("/stack/smooth")
def smooth(library: InLibrary, wanted: Smoothing) -> Envelope:
    """An envelope with fewer and rounder points."""
    points = smoothed(wanted.envelope.points, wanted.width_s, wanted.tolerance)
    return wanted.envelope.model_copy(update={"points": points})
