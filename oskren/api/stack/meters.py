"""Stack over HTTP: where layers lie, meters of the sum, levels behind steps, and layers that crowd each other."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, Field

from oskren.api.asking import InQuestion
from oskren.api.common import InLibrary, InStudio
from oskren.api.mend.chain import LevelAfter
from oskren.api.stack.told import AMix, TheMix, mix_of
from oskren.core.audio.layouts import CHANNELS
from oskren.core.audio.places import SPOTTED, WIDE, spots
from oskren.core.nodes.chains import chain_in
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.members import member_node, thawed
from oskren.core.nodes.missing import lacking
from oskren.core.nodes.walk import sounding
from oskren.core.stack.crowding import Crowding
from oskren.core.stack.shares import SumFacts, poor_rate, warned
from oskren.work.mend import tasks as mending
from oskren.work.stack import tasks as summing
from oskren.work.stack.designs import dull_layers

router = APIRouter(prefix="/lib/{library}", tags=["stack"])


class Placed(BaseModel):
    """Where a layer's own audio lies from the strike line (s), and the digest of its audio.

    ``whole_s`` is how long its source is before it is trimmed; ``line`` gives pairs (s of the layer's audio, s of the source) between
    which moments of the source, as envelopes have them, are carried along straight lines. ``stale`` says that it is frozen
    to what it was before, ``missing`` which file it lacks: it is passed over, the rest sounds; ``dull`` that it is pitched down so far that its highs are gone.
    """

    id: str
    start_s: float
    seconds: float
    digest: str
    rate: int
    channels: int
    frames: int
    anchor_s: float
    whole_s: float
    line: list[list[float]]
    stale: bool
    missing: str = ""
    dull: str = ""


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
    poor: str
    """Why the sum has a low rate, in a sentence; empty when it has not."""
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


class OneChain(BaseModel):
    """The chain of a layer or a group by its id, or that on the sum for none."""

    mix: AMix
    id: str = Field("", max_length=60)


MOST_KNOTS = 200


@router.post("/stack/layout")
def layout(studio: InStudio, library: InLibrary, mix: TheMix) -> Layout:
    """Where every layer lies; muted ones too. Nothing is rendered."""
    renderer = studio.renderer(library)
    shape = renderer.output_shape(mix)
    rate = renderer.mix_rate(mix)
    gone = library.media_found(mix)[1]
    dull = dull_layers(library, mix)
    placed = []
    for member in mix.members:
        _, own, start = renderer.placed(mix, member, rate)
        node, unfrozen = member_node(member), member_node(thawed(member))
        plain = renderer.shape(node)
        way = renderer.time_map(unfrozen)
        studio.note(library, node, plain)
        placed.append(
            Placed(
                id=member.id,
                start_s=start / rate,
                seconds=own.frames / rate,
                digest=node_hash(node),
                rate=plain.rate,
                channels=plain.channels,
                frames=plain.frames,
                anchor_s=way.to_output(member.anchor_s),
                whole_s=renderer.output_shape(member.node).seconds,
                line=_line([list(knot) for knot in zip(way.outputs, way.inputs, strict=True)]),
                dull=dull.get(member.id, ""),
                missing=next((gone[audio] for audio in lacking(node, gone)), ""),
                stale=member.frozen is not None and member.frozen.of is not None and node_hash(member.frozen.of) != node_hash(unfrozen),
            )
        )
    wide = spots(mix.layout) if mix.layout in SPOTTED and mix.layout in WIDE else []
    speakers = [Speaker(name=CHANNELS[mix.layout][lane], x=spot[0], y=spot[1]) for lane, spot in enumerate(wide) if spot is not None]
    return Layout(
        layers=placed, start_s=-shape.zero / shape.rate, seconds=shape.frames / shape.rate, rate=shape.rate, poor=poor_rate(mix, shape.rate), speakers=speakers
    )


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
    found = await question.answered(summing.sum_meters, mix)
    facts = SumFacts(**found["facts"])
    measures: dict[str, Any] = {name: found["measures"][name] for name in names}
    warning, over = warned(mix, measures["true_peak_dbtp"], facts)
    return Sum(**measures, seconds=found["seconds"], facts=facts, warning=warning, over=over)


@router.post("/stack/crowding")
async def crowded(question: InQuestion, mix: TheMix) -> Crowding:
    """Which layers share a band, and when; with a dip offered, and what it would do, measured. Ends when nobody waits for it any more."""
    return Crowding(**await question.answered(summing.crowding, await question.present(mix)))


@router.post("/stack/levels")
async def step_levels(question: InQuestion, studio: InStudio, wanted: OneChain) -> list[LevelAfter]:
    """Level before and after each step of a layer, a group, or the sum, as the sound goes through it. Ends when nobody waits for it any more."""
    mix = mix_of(studio, wanted.mix)
    node, ids = chain_in(mix, wanted.id)
    if not node.chain or not sounding(mix):
        return []
    found = await question.answered(mending.chain_levels, await question.present(node), ids)
    return [LevelAfter(**one) for one in found]
