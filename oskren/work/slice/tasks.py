"""What worker processes do for Slice: the levels that slices are found by, and zero crossings near their edges."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio.replacing import replacing
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.cache import Scratch
from oskren.core.nodes.model import NodeAdapter
from oskren.core.nodes.voices import Shape
from oskren.core.plugins.outside import PluginError
from oskren.core.slice import detect, loops
from oskren.core.slice.bands import Standing
from oskren.core.slice.edges import REACH_S, nearest_crossing
from oskren.core.types import Samples
from oskren.work.engine import tasks
from oskren.work.engine.place import Workplace

LONGEST_LOOPED_S = 60.0
"""A loop is looked for in so much of a slice, from its start."""


def slice_levels(place: Workplace, node: dict[str, Any], keep: str) -> None:
    """Measure the levels slices are found by, once, and keep them in a file."""
    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    found = detect.analyse(renderer.stream(parsed), renderer.output_shape(parsed).rate)
    with replacing(Path(keep)) as temporary, open(temporary, "wb") as stream:
        np.savez(
            stream,
            power=found.power,
            bright=found.bright,
            slow=found.standing.slow,
            fast=found.standing.fast,
            strength=found.standing.strength,
            floor_db=found.standing.floor_db,
            facts=np.array([found.hop_s, found.seconds, found.floor_dbfs, found.floor_visible, found.bright_floor_dbfs, found.standing.hop_s]),
        )


def crossings(place: Workplace, node: dict[str, Any], moments_s: Sequence[float]) -> list[float]:
    """The zero crossings of a node nearest to some moments (s); a moment that has none near it stays."""
    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    rate = renderer.output_shape(parsed).rate
    found = []
    for moment in moments_s:
        at = round(moment * rate)
        first = max(0, at - round(REACH_S * rate))
        near = nearest_crossing(renderer.read(parsed, first, at + round(REACH_S * rate) + 1 - first), at - first)
        found.append(moment if near is None else (first + near) / rate)
    return found


def best_loop(place: Workplace, node: dict[str, Any], start_s: float, end_s: float, attack_s: float) -> tuple[float, float, float, float] | None:
    """The best loop of a part of a node: start, end and crossfade (s of the node), and how alike both sides are; None where there is none."""
    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    rate = renderer.output_shape(parsed).rate
    first, last = round(start_s * rate), round(min(end_s, start_s + LONGEST_LOOPED_S) * rate)
    found = loops.best_loop(renderer.read(parsed, first, last - first), rate, max(0, round(attack_s * rate) - first))
    return None if found is None else ((first + found.start) / rate, (first + found.end) / rate, found.fade / rate, found.alike)


FAILED = "failed"


def facts(place: Workplace, node: dict[str, Any], *how: Any, keep: bool = True) -> dict[str, Any]:
    """As :func:`oskren.work.engine.tasks.facts`, or why it cannot be rendered: what is wrong with one is that one's alone."""
    try:
        return tasks.facts(place, node, *how, keep=keep)
    except (Cancelled, PluginError):
        raise
    except OskrenError as error:
        return {FAILED: str(error)}
    except Exception as error:
        return {FAILED: f"cannot be rendered ({type(error).__name__}: {error}); change its finish, or drop it"}


def shots(place: Workplace, nodes: Sequence[dict[str, Any]], slow: Sequence[dict[str, Any] | None]) -> list[dict[str, Any]]:
    """One-shots rendered and measured, or why one cannot be; their audio is kept nowhere, since it is made again in a moment where somebody listens.

    ``slow`` is what is known of each that takes long to measure, where its finish does not change that.
    """
    renderer, found = place.renderer(scratch=True), list[dict[str, Any]]()
    for node, known in zip(nodes, slow, strict=True):

        def measure(audio: Samples, shape: Shape, known: dict[str, Any] | None = known) -> Measures:
            fresh = tasks.measured(audio, shape, slow=known is None, anchored=True)
            return fresh if known is None else fresh.model_copy(update=known)

        found.append(facts(place, node, renderer, measure, keep=False))
        assert isinstance(renderer.cache, Scratch)
        renderer.cache.forget()
    return found


def load_levels(path: Path) -> detect.Levels:
    """Read what ``slice_levels`` kept."""
    with np.load(path) as stored:
        hop, seconds, floor, visible, bright, step = (float(value) for value in stored["facts"])
        tracks = Standing(step, stored["slow"], stored["fast"], stored["strength"], stored["floor_db"])
        return detect.Levels(stored["power"], stored["bright"], hop, seconds, floor, bool(visible), bright, tracks)
