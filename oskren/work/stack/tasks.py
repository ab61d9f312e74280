"""What worker processes do for Stack: meters of the sum, crowding, tones of layers."""

from __future__ import annotations

from typing import Any

import numpy as np

from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Excerpt, Mix, NodeAdapter
from oskren.work.engine.place import Workplace
from oskren.work.engine.tasks import measured


def sum_meters(place: Workplace, node: dict[str, Any]) -> dict[str, Any]:
    """Render a design and read its meters: measures, length, and crest, correlation, shares and highest peak."""
    from oskren.core.stack.shares import sum_facts

    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    assert isinstance(parsed, Mix)
    audio, rate = renderer.audio(parsed)
    return {
        "measures": measured(audio, renderer.output_shape(parsed), slow=False).model_dump(),
        "seconds": len(audio) / rate,
        "facts": sum_facts(renderer, parsed).model_dump(),
    }


def crowding(place: Workplace, node: dict[str, Any]) -> dict[str, Any]:
    """Which layers of a design crowd each other, and what a dip would do about it."""
    from oskren.core.stack.crowding import crowding

    parsed = NodeAdapter.validate_python(node)
    assert isinstance(parsed, Mix)
    return crowding(place.renderer(), parsed).model_dump(mode="json")


def tones(place: Workplace, nodes: list[dict[str, Any]]) -> list[tuple[float | None, float | None]]:
    """Fundamental (Hz) and confidence of nodes as they are heard, each measured once."""
    from oskren.core.measure.pitch import fundamental

    renderer = place.renderer()
    found: list[tuple[float | None, float | None]] = []
    for node in nodes:
        parsed = NodeAdapter.validate_python(node)
        key = node_hash(Excerpt(node=parsed, start_s=0, end_s=0))  # a name beside the audio's own
        kept = renderer.cache.summary(key)
        if kept is None:
            audio, rate = renderer.audio(parsed)
            hz, sure = fundamental(np.asarray(audio).mean(axis=1, dtype=np.float32), rate)
            kept = {"tone": np.array([np.nan if hz is None else hz, 0.0 if sure is None else sure])}
            renderer.cache.keep_summary(key, kept)
        hz, sure = (float(value) for value in kept["tone"])
        found.append((None if np.isnan(hz) else hz, sure))
    return found
