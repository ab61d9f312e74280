"""Balance: how loud each placement is by itself, and the scene over time."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel

from oskren.core.measure.levels import db
from oskren.core.measure.loudness import SHORT_TERM_S, STEP_S, Powers, loudness, summarise
from oskren.core.measure.true_peak import TruePeak
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix
from oskren.core.nodes.render import Renderer
from oskren.core.types import Floats

EVERY_S = 0.5


class Over(BaseModel):
    """Loudness of a scene: ``at_s`` (s of the film) and short-term loudness there (LUFS; None under the gate), integrated loudness, its range, true peak."""

    at_s: list[float]
    short_term_lufs: list[float | None]
    integrated_lufs: float | None
    loudness_range_lu: float | None
    true_peak_dbtp: float | None


def loudest(renderer: Renderer, mix: Mix) -> dict[str, float | None]:
    """Maximum momentary loudness (LUFS, ITU-R BS.1770-5) of each placement's own audio, by its id, before its gain and pan; None where it is silent.

    A placement shorter than 0.4 s is measured as if silence followed, as short sounds are everywhere in Oskren.
    """
    found: dict[str, float | None] = {}
    known: dict[str, float | None] = {}
    rate = renderer.mix_rate(mix)
    for member in mix.members:
        node, shape, _ = renderer.placed(mix, member, rate)
        digest = node_hash(node)
        if digest not in known:
            audio, _ = renderer.audio(node)
            known[digest] = loudness(np.asarray(audio), rate, shape.named).max_momentary_lufs
        found[member.id] = known[digest]
    return found


def over_time(renderer: Renderer, mix: Mix) -> Over:
    """Short-term loudness (LUFS over 3 s, EBU Tech 3341) along a scene, its integrated loudness, range and true peak; block by block, nothing is kept."""
    shape = renderer.output_shape(mix)
    powers = Powers(shape.rate, shape.channels, shape.named)
    true = TruePeak(shape.rate)
    for block in renderer.stream(mix):
        powers.add(block)
        true.add(block)
    steps = powers.steps()
    whole = summarise(steps)
    width, every = round(SHORT_TERM_S / STEP_S), round(EVERY_S / STEP_S)
    sums: Floats = np.concatenate([[0.0], np.cumsum(steps)])
    ends = np.arange(every, len(steps) + 1, every)
    starts = np.maximum(0, ends - width)
    # before three seconds are over silence lies before the film
    mean = (sums[ends] - sums[starts]) / width
    level = -0.691 + 10 * np.log10(np.maximum(mean, 1e-12))
    return Over(
        at_s=[round(float(end * STEP_S), 2) for end in ends],
        short_term_lufs=[round(float(one), 2) if one > -70 else None for one in level],
        integrated_lufs=whole.integrated_lufs,
        loudness_range_lu=whole.range_lu,
        true_peak_dbtp=db(true.value()) if true.value() > 0 else None,
    )
