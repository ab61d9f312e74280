"""Kits of a plan: its kept slices dealt by what is measured of them."""

from __future__ import annotations

import math

import numpy as np

from oskren.core.errors import OskrenError
from oskren.core.nodes.model import Node
from oskren.core.slice.kits import Kit, KitSettings, dealt
from oskren.core.slice.plan import Plan
from oskren.work.engine.studio import Studio
from oskren.work.slice import measuring

NOTHING = -200.0
"""Stands for the loudness (LUFS) and brightness of silence. Lengths and brightness are dealt in ratios, as they are heard."""


def kits_of(studio: Studio, node: Node, plan: Plan, settings: KitSettings) -> tuple[Kit, ...]:
    """The kept slices of a plan dealt into kits.

    Raises
    ------
    OskrenError
        When they are dealt by what is not measured of all of them yet.
    """
    kept = plan.kept
    rows = {row.id: row for row in measuring.measured(studio, node, plan)[0]}
    missing = sum(1 for piece in kept if piece.id not in rows)
    if settings.by != "length" and missing:
        raise OskrenError(f"{missing} slices are still being measured; deal again in a moment, or deal by length.")
    if settings.by == "likeness":
        points = measuring.points(studio, node, plan)
        heard = [piece for piece in kept if piece.id in points]
        found = dealt(np.array([points[piece.id] for piece in heard]), settings) if heard else []
        return _named([[heard[place].id for place in kit] for kit in found])
    if settings.by == "length":
        measured: list[float | None] = [math.log2(piece.end_s - piece.start_s) for piece in kept]
    elif settings.by == "loudness":
        measured = [rows[piece.id].loudness_lufs for piece in kept]
    else:
        bright = [rows[piece.id].brightness_hz for piece in kept]
        measured = [None if value is None else math.log2(max(value, 1.0)) for value in bright]
    found = dealt(np.array([NOTHING if value is None else value for value in measured], np.float64), settings)
    return _named([[kept[place].id for place in kit] for kit in found])


def _named(kits: list[list[int]]) -> tuple[Kit, ...]:
    return tuple(Kit(name=f"Kit {number}", slices=tuple(ids)) for number, ids in enumerate(kits, 1))
