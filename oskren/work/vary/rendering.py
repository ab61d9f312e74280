"""What worker processes do for Vary: render a draw, and again with what brings it to the loudness of its design."""

from __future__ import annotations

from typing import Any

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Mix
from oskren.core.vary.guards import Reference, added_db, with_gain
from oskren.work.engine import tasks
from oskren.work.engine.place import Workplace


def matched_facts(place: Workplace, mix: dict[str, Any], wanted: Reference | None, within_lu: float) -> dict[str, Any]:
    """Facts of a draw as it is taken, with ``added_db`` where it was brought to a loudness; or ``{"reason": ...}``.

    Layers that the draw shares with its design are read from the cache; of what it has alone only the sum is kept there.
    """
    renderer = place.renderer(scratch=True)
    made = tasks.facts_or_reason(place, mix, renderer)
    if "reason" in made:
        return made
    added = added_db(wanted, made["measures"], within_lu) if wanted is not None else 0.0
    if added:
        mix = with_gain(Mix.model_validate(mix), added).model_dump(mode="json")
        made = tasks.facts_or_reason(place, mix, renderer)
        if "reason" in made:
            return made
    node = Mix.model_validate(mix)
    audio, rate = renderer.audio(node)
    place.renderer().cache.write(node_hash(node), iter([audio]), rate, audio.shape[1])
    return {**made, "added_db": added}
