"""What worker processes do for every stage: render, measure, draw a waveform, give blocks. Plain values go in and come out, no sound."""

from __future__ import annotations

import operator
from collections import OrderedDict, deque
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np

from oskren.core.audio import files
from oskren.core.errors import Cancelled, OskrenError
from oskren.core.measure import noise, peaks, report
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.glance import Glance
from oskren.core.nodes.model import Mix, Node, NodeAdapter
from oskren.core.nodes.render import Renderer
from oskren.core.nodes.voices import Shape
from oskren.core.nodes.walk import hash_lasts
from oskren.core.plugins.outside import PluginError
from oskren.core.steps.base import Summary
from oskren.core.types import Samples
from oskren.work.engine.patching import grafted
from oskren.work.engine.place import Workplace

_mixes: deque[tuple[dict[str, Any], Mix]] = deque(maxlen=4)
"""Mixes this worker was asked about last, as data and as models."""


def node_of(data: dict[str, Any]) -> Node:
    """The node of plain data. A mix that was asked about before is the same again, and one that was edited since shares what was left alone."""
    for known, mix in _mixes:
        if known == data:
            return mix
    before = _mixes[0] if _mixes and data.get("kind") == "mix" else None
    node = NodeAdapter.validate_python(grafted(data, *before, same=operator.eq) if before else data)
    if isinstance(node, Mix) and hash_lasts(node):
        _mixes.appendleft((data, node))
    return node


def measured(audio: Samples, shape: Shape, *, slow: bool = True, anchored: bool = False, true_peak: bool = True) -> report.Measures:
    size = max(1, round(shape.rate * noise.FRAME_S)) * 100
    parts = (np.array(audio[at : at + size]) for at in range(0, len(audio), size))
    return report.measure_blocks(parts, shape.rate, shape.channels, shape.named, slow=slow, anchored=anchored, true_peak=true_peak)


def facts(
    place: Workplace,
    node: dict[str, Any],
    renderer: Renderer | None = None,
    measure: Callable[[Samples, Shape], report.Measures] = measured,
    *,
    keep: bool = True,
) -> dict[str, Any]:
    """Render a node whole into the cache, measure it and make its waveform: shape, measures, row; its layout where that is not the usual one.

    With a ``renderer`` of its own nothing is kept but what that one keeps; without ``keep`` the waveform is not kept either.
    """
    renderer, parsed = renderer or place.renderer(), NodeAdapter.validate_python(node)
    audio, rate = renderer.audio(parsed)
    shape = renderer.output_shape(parsed)
    measures = measure(audio, shape)
    building = peaks.Building(audio.shape[1])
    building.add(np.asarray(audio))
    waveform = building.finish()
    if keep:
        waveform.save(place.peaks_path(node_hash(parsed)))
    return {
        "rate": rate,
        "channels": audio.shape[1],
        "frames": len(audio),
        "zero": shape.zero,
        "layout": shape.unusual,
        "measures": measures.model_dump(),
        "outline": waveform.outline(),
    }


def facts_or_reason(place: Workplace, node: dict[str, Any]) -> dict[str, Any]:
    """As :func:`facts`, or ``{"reason": ...}`` where a node cannot be rendered: in a batch one item fails alone."""
    return or_reason(lambda: facts(place, node))


def or_reason(make: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """What is made, or ``{"reason": ...}`` where that fails by itself and not with the batch."""
    try:
        return make()
    except (Cancelled, PluginError):
        raise
    except Exception as error:
        return {"reason": str(error) if isinstance(error, OskrenError) else f"cannot be rendered ({type(error).__name__}: {error})"}


def waveform(place: Workplace, node: dict[str, Any]) -> None:
    """Make the waveform of a node that has none yet, reading it once."""
    parsed = NodeAdapter.validate_python(node)
    renderer = place.renderer()
    building = peaks.Building(renderer.output_shape(parsed).channels)
    source = renderer.stream(parsed) if parsed.kind in ("source", "print", "excerpt", "row") else iter([np.asarray(renderer.audio(parsed)[0])])
    for block in source:
        building.add(block)
    building.finish().save(place.peaks_path(node_hash(parsed)))


def picture(place: Workplace, node: dict[str, Any]) -> tuple[float, bytes]:
    """Length (s) and small waveform of a node, for a list."""
    parsed = NodeAdapter.validate_python(node)
    path = place.peaks_path(node_hash(parsed))
    made = peaks.Peaks.load(path)
    if made is None:
        waveform(place, node)
        made = peaks.Peaks.load(path)
    return place.renderer().output_shape(parsed).seconds, b"" if made is None else made.outline()


def whole(place: Workplace, node: dict[str, Any]) -> None:
    """Render a node into the cache."""
    place.renderer().audio(node_of(node))


def shape(place: Workplace, node: dict[str, Any]) -> Shape:
    """Shape of what a node sounds like; what its first block would wait for is rendered before."""
    renderer, parsed = place.renderer(), node_of(node)
    if renderer.needs_whole(parsed):
        renderer.make_ready(parsed)
    return renderer.output_shape(parsed)


_learned: OrderedDict[str, dict[str, Summary]] = OrderedDict()
"""Estimates of what was glanced at last, by its hash."""

GLANCES = 6


def _glance(place: Workplace, digest: str) -> Glance:
    learned = _learned.setdefault(digest, {})
    _learned.move_to_end(digest)
    while len(_learned) > GLANCES:
        _learned.popitem(last=False)
    return place.glance(learned)


def glance_will_do(place: Workplace, node: dict[str, Any]) -> bool:
    """Whether a node can be heard by estimates before all of it is measured."""
    parsed = NodeAdapter.validate_python(node)
    return _glance(place, node_hash(parsed)).will_do(parsed)


def glanced(place: Workplace, node: dict[str, Any]) -> Shape:
    """Shape of what a node sounds like; what its first block needs is estimated before."""
    parsed = NodeAdapter.validate_python(node)
    looking = _glance(place, node_hash(parsed))
    looking.read(parsed, 0, 1)
    return looking.output_shape(parsed)


class _Reading:
    """A stream that goes on where it was left: its state is carried from one request to the next."""

    def __init__(self, blocks: Iterator[Samples], at: int, channels: int):
        self.blocks, self.at = blocks, at
        self.held: Samples = np.zeros((0, channels), np.float32)

    def take(self, frames: int) -> Samples:
        parts, have = [self.held], len(self.held)
        while have < frames and (block := next(self.blocks, None)) is not None:
            parts.append(block)
            have += len(block)
        joined = np.concatenate(parts)
        given, self.held = joined[:frames], joined[frames:]
        self.at += len(given)
        return given


_readings: OrderedDict[str, _Reading] = OrderedDict()


def block(place: Workplace, node: dict[str, Any], start: int, frames: int, estimated: bool = False) -> bytes:
    """Raw float32 of a stretch of a node; consecutive requests carry the state of its steps along."""
    parsed = node_of(node)
    digest = f"{node_hash(parsed)}{' estimated' if estimated else ''}"
    reading = _readings.pop(digest, None)
    if reading is None or reading.at != start:
        renderer = _glance(place, node_hash(parsed)) if estimated else place.renderer()
        reading = _Reading(renderer.stream(parsed, start), start, renderer.output_shape(parsed).channels)
    given = reading.take(frames)
    _readings[digest] = reading
    while len(_readings) > 6:
        _readings.popitem(last=False)
    return np.ascontiguousarray(given, np.float32).tobytes()


def render_print(place: Workplace, node: dict[str, Any], folder: str) -> tuple[str, str]:
    """Render a node to a float WAV in a folder: the audio hash and the file's path."""
    renderer, parsed = place.renderer(), NodeAdapter.validate_python(node)
    audio, rate = renderer.audio(parsed)
    digest = files.AudioHash(rate, audio.shape[1])
    digest.add(np.asarray(audio))
    path = Path(folder) / f"print-{digest.value()}.wav"
    files.write(path, np.asarray(audio), rate, 32)
    return digest.value(), str(path)
