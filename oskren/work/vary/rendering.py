"""What worker processes do for Vary: render a draw, and again with what brings it to the loudness of its design."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from oskren.core.audio.layouts import to_mono
from oskren.core.measure import report
from oskren.core.measure.loudness import loudness
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix, active
from oskren.core.nodes.shapes import on_sum
from oskren.core.nodes.voices import Shape
from oskren.core.types import Samples
from oskren.core.vary.guards import Reference, added_db, with_gain
from oskren.work.engine import tasks
from oskren.work.engine.place import Workplace


def matched_facts(place: Workplace, mix: dict[str, Any], wanted: Reference | None, within_lu: float) -> dict[str, Any]:
    """Facts of a draw as it is taken, with ``added_db`` where it was brought to a loudness; or ``{"reason": ...}``.

    Layers that the draw shares with its design are read from the cache; of what it has alone only the sum is kept there.
    """
    return tasks.or_reason(lambda: _matched_facts(place, Mix.model_validate(mix), wanted, within_lu))


def _matched_facts(place: Workplace, mix: Mix, wanted: Reference | None, within_lu: float) -> dict[str, Any]:
    renderer, added = place.renderer(scratch=True), 0.0
    if wanted is not None:
        # by its sum and chain, which a gain behind them reads from the cache
        audio, rate = renderer.audio(on_sum(mix) if active(mix.chain) else mix)
        added = added_db(wanted, asdict(loudness(audio, rate, renderer.output_shape(mix).named)), within_lu)
        mix = with_gain(mix, added) if added else mix
    made = tasks.facts(place, mix.model_dump(mode="json"), renderer, _measured)
    audio, rate = renderer.audio(mix)
    place.renderer().cache.write(node_hash(mix), iter([audio]), rate, audio.shape[1])
    return {**made, "added_db": added}


def _measured(audio: Samples, shape: Shape) -> report.Measures:
    """What variations are told apart by, and pitch; not what is only asked about sounds of the library, which a print is measured for."""
    mono = to_mono(np.array(audio[: round(report.HEAD_S * shape.rate)]), shape.named)[:, 0]
    return tasks.measured(audio, shape, slow=False, true_peak=False).model_copy(update=report.pitch_of(mono, shape.rate))
