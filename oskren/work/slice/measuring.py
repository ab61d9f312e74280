"""What is measured of the slices of a plan: levels, brightness, pitch, and which sound alike. Kept beside the waveforms, part by part."""

from __future__ import annotations

import base64
import json
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel

from oskren.core.audio.replacing import replacing
from oskren.core.measure import peaks, report
from oskren.core.measure.levels import db
from oskren.core.measure.report import SlowMeasures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Node, NodeAdapter
from oskren.core.slice import alike
from oskren.core.slice.alike import Measured, better_channel
from oskren.core.slice.finish import Slice, clicks
from oskren.core.slice.plan import Plan
from oskren.core.vary import apart
from oskren.store import Library
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import Progress
from oskren.work.engine.studio import Studio
from oskren.work.slice.plans import plan_of

AT_ONCE = 12
"""Slices a worker measures before it tells."""

SURE_PITCH = 0.5

_turn = threading.Lock()


class MeasuredSlice(BaseModel):
    """A slice by what is measured of it, the group of slices it sounds like, and whether it is the best of that.

    Whether an edge clicks is said of the plan's finish as it is; ``channel`` is the better one, counted from 1.
    """

    id: int
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    loudness_lufs: float | None
    brightness_hz: float | None
    pitch_hz: float | None
    group: int | None
    best: bool
    clicks_at_start: bool
    clicks_at_end: bool
    channel: int
    outline: str


def slice_facts(place: Workplace, node: dict[str, Any], parts: Sequence[tuple[float, float]]) -> list[dict[str, Any]]:
    """Measures of parts of a node (s), each with where it lies among others."""
    parsed, renderer = NodeAdapter.validate_python(node), place.renderer()
    shape = renderer.output_shape(parsed)
    found = []
    for start, end in parts:
        first, last = round(start * shape.rate), round(end * shape.rate)
        samples = renderer.read(parsed, first, last - first)
        measures = report.measure(samples, shape.rate, shape.named).model_dump()
        point = apart.point(measures, len(samples) / shape.rate)
        sure = (measures["pitch_confidence"] or 0.0) >= SURE_PITCH
        facts = Measured(
            measures["sample_peak_dbfs"], measures["true_peak_dbtp"], measures["max_momentary_lufs"], measures["brightness_hz"],
            measures["pitch_hz"] if sure else None, measures["clipped_samples"], len(samples) / shape.rate,
        )  # fmt: skip
        building = peaks.Building(samples.shape[1])
        building.add(samples)
        found.append(
            {
                "facts": list(facts),
                "point": None if point is None else np.round(point, 4).tolist(),
                "slow": {name: measures[name] for name in SlowMeasures.model_fields},
                "edges": [round(db(float(np.abs(samples[at]).max())), 1) for at in (0, -1)],
                "channel": better_channel(samples),
                "outline": base64.b64encode(building.finish().outline()).decode(),
            }
        )
    return found


def _key(piece: Slice) -> str:
    return f"{piece.start_s:.6f} {piece.end_s:.6f}"


def _path(studio: Studio, node: Node) -> Path:
    return Path(str(studio.place().peaks_path(node_hash(node))).replace(".npz", ".slices.json"))


def _kept(path: Path) -> dict[str, Any]:
    try:
        found = json.loads(path.read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _whole(known: dict[str, Any], piece: Slice) -> bool:
    """Whether all is known of a slice that this version measures."""
    return "slow" in known.get(_key(piece), {})


def slowly(studio: Studio, node: Node, plan: Plan) -> dict[int, dict[str, Any]]:
    """Pitch, bandwidth and key of the measured slices of a plan, by id."""
    known = _kept(_path(studio, node))
    return {piece.id: known[_key(piece)]["slow"] for piece in plan.slices if _whole(known, piece)}


def measured(studio: Studio, node: Node, plan: Plan) -> tuple[list[MeasuredSlice], int]:
    """What is known of the slices of a plan, and how many are not measured yet."""
    known = _kept(_path(studio, node))
    rows = [(piece, known[_key(piece)]) for piece in plan.slices if _whole(known, piece)]
    facts = {piece.id: Measured(*row["facts"]) for piece, row in rows}
    lying = [(piece.id, row["point"]) for piece, row in rows if row["point"] is not None]
    numbers = dict(zip((id for id, _ in lying), alike.groups(np.array([point for _, point in lying])), strict=True)) if lying else {}
    groups: dict[int, list[int]] = {}
    for piece, _ in rows:
        if piece.id in numbers and not piece.dropped:
            groups.setdefault(numbers[piece.id], []).append(piece.id)
    best = {those[alike.best([facts[id] for id in those])] for those in groups.values()}
    told = [
        MeasuredSlice(
            id=piece.id,
            peak_dbfs=facts[piece.id].peak_dbfs,
            true_peak_dbtp=facts[piece.id].true_peak_dbtp,
            loudness_lufs=facts[piece.id].loudness_lufs,
            brightness_hz=facts[piece.id].brightness_hz,
            pitch_hz=facts[piece.id].pitch_hz,
            group=numbers.get(piece.id),
            best=piece.id in best,
            clicks_at_start=clicks(row["edges"][0], plan.finish.fade_in_ms),
            clicks_at_end=clicks(row["edges"][1], plan.finish.fade_out_ms),
            channel=row["channel"],
            outline=row["outline"],
        )
        for piece, row in rows
    ]
    return told, len(plan.slices) - len(rows)


def measure(studio: Studio, library: Library, sound: int, progress: Progress) -> int:
    """Measure the slices of a sound's plan that are not measured yet; how many."""
    node, plan = plan_of(studio, library, sound)
    return measure_plan(studio, library, node, plan, progress)


def points(studio: Studio, node: Node, plan: Plan) -> dict[int, list[float]]:
    """Where the measured slices of a plan lie among sounds, by id; silent ones lie nowhere."""
    known = _kept(_path(studio, node))
    rows = {piece.id: known[_key(piece)]["point"] for piece in plan.slices if _whole(known, piece)}
    return {id: point for id, point in rows.items() if point is not None}


def measure_plan(studio: Studio, library: Library, node: Node, plan: Plan, progress: Progress) -> int:
    """Measure the slices of a plan that are not measured yet; how many."""
    path = _path(studio, node)
    known = _kept(path)
    todo = [piece for piece in plan.slices if not _whole(known, piece)]
    chunks = [todo[at : at + AT_ONCE] for at in range(0, len(todo), AT_ONCE)]
    place = studio.place(library, node, flag=progress.flag)
    calls = [(slice_facts, place, node.model_dump(mode="json"), [(piece.start_s, piece.end_s) for piece in chunk]) for chunk in chunks]
    for position, found in studio.batch(calls, progress):
        with _turn:
            now = _kept(path) | {_key(piece): facts for piece, facts in zip(chunks[position], found, strict=True)}
            path.parent.mkdir(parents=True, exist_ok=True)
            with replacing(path) as temporary:
                temporary.write_text(json.dumps(now))
    return len(todo)


class Measuring(Arguments):
    """Measure what is not measured yet of the slices of a sound's plan."""

    sound: int


class MeasuredSlices(BaseModel):
    """How many slices of a sound were measured."""

    kind: Literal["measure"] = "measure"
    sound: int
    measured: int


def _measure(studio: Studio, library: Library, wanted: Measuring, progress: Progress) -> MeasuredSlices:
    return MeasuredSlices(sound=wanted.sound, measured=measure(studio, library, wanted.sound, progress))


MEASURE = Kind("measure", Measuring, _measure)
