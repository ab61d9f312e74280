"""Cases of what the browser mirrors, written by the core: arguments, and what the core makes of them.

``web/src/mix`` has the edits of a mix, envelopes, fades and lines of time a second time, so that they are seen while a hand moves; the keys of
Perform weigh how hard they are struck; marks and pointers lie on the axes of ``core/measure/peaks``. ``tests.browser.test_mirrored`` replays
these cases in the browser's engine.
"""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np

from oskren.core.envelope import Envelope
from oskren.core.measure.peaks import AXES, axis_edges
from oskren.core.nodes.model import Group, Member, Mix, Source, Step
from oskren.core.picture.lanes import lanes
from oskren.core.stack import edits
from oskren.core.stack.perform import velocity_db
from oskren.core.steps.edges import SHAPES, FadeParams, fade_gain
from oskren.core.timemap import TimeMap

CURVES = ("lines", "eased", "steps")


def mixes() -> list[Mix]:
    """Designs of layers in and out of groups, some locked, with envelopes and steps."""
    source = Source(audio="a" * 40, rate=48_000, channels=1, frames=48_000)
    curve = Envelope(control="gain_db", points=((0.0, 0.0), (0.5, -6.0)))
    step = Step(kind="gain", id="louder", params={"gain_db": 2.0})
    layers = [Member(id=f"l{k}", name=f"layer {k}", node=source, at_s=k / 10, anchor_s=0.02 * k) for k in range(6)]
    grouped = [
        layers[0],
        layers[1].model_copy(update={"group": "g", "locked": True}),
        layers[2],
        layers[3].model_copy(update={"group": "g", "envelopes": (curve,), "chain": (step,)}),
        layers[4].model_copy(update={"group": "gone"}),
        layers[5].model_copy(update={"group": "h", "mute": True}),
    ]
    groups = (Group(id="g", name="Group 1"), Group(id="h", name="Group 2", gain_db=-3.0), Group(id="empty", name="Group 3"))
    return [Mix(), Mix(members=tuple(layers[:3])), Mix(members=tuple(grouped), groups=groups)]


def _some(mix: Mix) -> list[list[str]]:
    ids = [member.id for member in mix.members]
    return [list(chosen) for count in (1, 2, 3) for chosen in itertools.combinations(ids, count)][:24]


def cases() -> dict[str, list[list[Any]]]:
    """By name of the mirrored function: pairs of its arguments and what the core gives."""
    found: dict[str, list[list[Any]]] = {
        "gathered": [],
        "grouped": [],
        "ungrouped": [],
        "duplicated": [],
        "moved": [],
        "stepped": [],
        "shifted": [],
        "removed": [],
    }

    def case(name: str, result: Any, *arguments: Any) -> None:
        plain = [one.model_dump(mode="json") if hasattr(one, "model_dump") else one for one in (*arguments, result)]
        found.setdefault(name, []).append([plain[:-1], plain[-1]])

    random = np.random.default_rng(20)
    for count in (0, 1, 2, 5, 12, 40):
        starts = np.round(random.uniform(0, 20, count), 3).tolist()
        spans = [[start, round(start + length, 3)] for start, length in zip(starts, random.exponential(2.0, count), strict=True)]
        case("lanes", lanes([(start, end) for start, end in spans]), spans)
    case("lanes", lanes([(0, 1), (1, 2), (0, 2)]), [[0, 1], [1, 2], [0, 2]])
    for mix in mixes():
        case("gathered", edits.gathered(mix), mix)
        for group in mix.groups:
            case("ungrouped", edits.ungrouped(mix, group.id), mix, group.id)
        for ids in _some(mix):
            fresh = [f"new{k}" for k in range(len(ids))]
            case("grouped", edits.grouped(mix, ids, "fresh"), mix, ids, "fresh")
            case("duplicated", edits.duplicated(mix, ids, fresh), mix, ids, fresh)
            case("removed", edits.removed(mix, ids), mix, ids)
            for before in (None, mix.members[0].id, mix.members[-1].id):
                case("moved", edits.moved(mix, ids, before), mix, ids, before)
            for by in (-2, -1, 1, 3):
                case("stepped", edits.stepped(mix, ids, by), mix, ids, by)
            for seconds in (0.001, -0.25, 1 / 3):
                case("shifted", edits.shifted(mix, ids, seconds), mix, ids, seconds)
    case("EMPTY_MIX", Mix())
    case("freshGroup", Group(id="g", name="Group 1"), "g", "Group 1")
    case("freshStep", Step(kind="gain", params={"gain_db": 3.0}, id="s"), "gain", {"gain_db": 3.0}, "s")
    for velocity in (0.0, 0.001, 0.02, 0.5, 1.0):
        case("velocityDb", velocity_db(velocity), velocity)
    for shape in SHAPES:
        for x in np.linspace(0, 1, 11):
            case("fadeGain", float(fade_gain(np.array([x]), shape)[0]), float(x), shape)
    case("NO_FADE", FadeParams())
    points = ((-0.5, 3.0), (0.25, -12.0), (0.26, 0.0), (2.0, 6.0))
    for kind in CURVES:
        envelope = Envelope(control="gain_db", points=points, curve=kind)
        for at in (-1.0, -0.5, 0.0, 0.25, 0.2551, 0.26, 1.1, 2.0, 5.0):
            case("envelopeAt", float(envelope.at(np.array([at]))[0]), envelope, at)
    for way in (TimeMap((0.0, 1.0), (0.0, 1.0)), TimeMap((0.0, 0.5, 2.0), (0.2, 1.2, 1.4)), TimeMap((0.0, 1.0, 3.0), (2.0, 1.5, 0.1))):
        line = [list(knot) for knot in zip(way.outputs, way.inputs, strict=True)]
        for at in (-0.3, 0.0, 0.4, 1.0, 1.7, 4.0):
            case("carried", way.to_input(at), line, at, 1)
            case("carried", way.to_output(at), line, at, 0)
    for axis in AXES:
        for rate in (8_000, 44_100, 192_000):
            for at, hz in zip(np.linspace(0, 1, 13), axis_edges(axis, 12, rate), strict=True):
                case("axisHeight", float(at), float(hz), axis, rate)
    return found
