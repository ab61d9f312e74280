"""What is learnt of the variations of a spread: where they lie, which are near-identical, how they repeat, what differs between two."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure.likeness import BANDS_HZ
from oskren.core.nodes.model import Mix
from oskren.core.types import Floats
from oskren.core.vary import apart, near, repetition
from oskren.core.vary.recipe import Recipe, Value, drawn
from oskren.core.vary.repetition import Learnt, Repetition
from oskren.store import Library
from oskren.store.documents import spreads as kept
from oskren.store.tables import Draw, Spread
from oskren.work.vary.taking import seconds


def points(draws: Sequence[Draw]) -> tuple[list[Draw], Floats]:
    """The draws that are rendered and sound, and where each lies, shape (n, 37); without timbre where some were measured before it was known."""
    sounding = [one for one in draws if one.facts and one.facts["measures"].get("bands_db")]
    by_timbre = all(apart.has_timbre(one.facts["measures"]) for one in sounding)
    found = [(one, apart.point(one.facts["measures"], seconds(one.facts), by_timbre=by_timbre)) for one in sounding]
    lying = [(one, place) for one, place in found if place is not None]
    return [one for one, _ in lying], np.array([place for _, place in lying]).reshape(len(lying), apart.NUMBERS)


def ready(library: Library, spread: int) -> tuple[Spread, list[Draw]]:
    """A spread and those of its draws that are rendered."""
    row, _, draws = kept.spread(library, spread)
    return row, [one for one in draws if one.facts]


def kept_of(library: Library, spread: int) -> list[Draw]:
    """The draws of a spread a repetition is made of: those that are kept, or all that were not dropped while none is kept."""
    _, draws = ready(library, spread)
    return [one for one in draws if one.state == "kept"] or [one for one in draws if one.state != "dropped"]


def most_different(library: Library, spread: int, count: int) -> list[int]:
    """Ids of the variations, of those that were not dropped, that sound most different from each other."""
    _, draws = ready(library, spread)
    lying, where = points([one for one in draws if one.state != "dropped"])
    return [lying[place].id for place in apart.most_different(where, count)]


@dataclass(frozen=True)
class Repeated:
    """Kept draws played one after the other: one sound, which draw is heard when (id, s), and what was learnt of each set."""

    mix: Mix
    moments: list[tuple[int, float]]
    heard: list[Learnt | None]


def repeated(library: Library, spreads: Sequence[int], how: Repetition) -> Repeated:
    """The repetition test of the kept draws of one or more spreads, in turn.

    Raises
    ------
    OskrenError
        When one of them has no variation that is rendered.
    """
    sets = [kept_of(library, spread) for spread in spreads]
    if not all(sets):
        raise OskrenError("A spread of these has no variation that is rendered yet and not dropped; draw some, then test them.")
    told: list[Learnt | None] = []
    for one in sets:
        lying, where = points(one)
        found = repetition.learnt(where)
        told.append(found and found.model_copy(update={"one": lying[found.one].id, "other": lying[found.other].id}))
    mixes = [[(Mix.model_validate(one.mix), one.facts.get("zero", 0) / one.facts["rate"]) for one in those] for those in sets]
    mix, moments = repetition.laid_out(mixes, how)
    return Repeated(mix, [(sets[turn][place].id, at) for turn, place, at in moments], told)


@dataclass(frozen=True)
class Difference:
    """What a freedom came to in two draws."""

    path: str
    owner: str
    label: str
    unit: str
    one: Value
    other: Value


def compared(library: Library, spread: int, ids: tuple[int, int]) -> tuple[list[Difference], list[Draw], float | None]:
    """What differs between two variations: the freedoms that came out otherwise, both rows, and how far apart they sound."""
    row, _, draws = kept.spread(library, spread)
    chosen = [next((one for one in draws if one.id == id), None) for id in ids]
    both = [one for one in chosen if one is not None]
    if len(both) < 2:
        raise NotFound("One of these variations is not there any more; it may have been drawn anew.")
    mix, recipe = Mix.model_validate(row.mix), Recipe.model_validate(row.recipe)
    values = [drawn(mix, recipe, row.seed, one.number).values for one in both]
    differs = []
    for path, value in values[0].items():
        if value != values[1].get(path):
            owner, label = near.labels(mix, path)
            differs.append(Difference(path, owner, label, near.unit(mix, path), value, values[1].get(path)))
    _, where = points(both)
    return differs, both, float(np.linalg.norm(where[0] - where[1])) if len(where) == 2 else None


def seen(draws: Sequence[Draw]) -> tuple[dict[int, tuple[float, float]], list[tuple[int, int, float]]]:
    """The map of all that was measured of some draws (id to x, y), and the pairs of them that pass for the same (ids, how far apart)."""
    lying, where = points(draws)
    if len(lying) < 2:
        return {}, []
    flat = apart.projected(where)
    pairs = apart.nearest(where, PAIRS, apart.SAME)
    places = {one.id: (round(float(x), 4), round(float(y), 4)) for one, (x, y) in zip(lying, flat, strict=True)}
    return places, [(lying[pair.one].id, lying[pair.other].id, round(pair.apart, 3)) for pair in pairs]


OCTAVES_HZ = BANDS_HZ[:-1]
"""Lower edges of the octaves whose levels are compared."""

PAIRS = 40
"""So many near-identical pairs of a spread are named."""


def described(facts: dict[str, Any]) -> dict[str, float | None]:
    """The descriptors a map may be drawn by."""
    measures = facts.get("measures") or {}
    return {
        "length": seconds(facts) if facts.get("frames") else None,
        "brightness": measures.get("brightness_hz"),
        "loudness": measures.get("integrated_lufs"),
        "attack": measures.get("attack_s"),
        "pitch": measures.get("pitch_hz"),
    }
