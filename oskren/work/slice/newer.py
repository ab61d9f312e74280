"""What follows when a sound changes after it was sliced: its plan takes the newer state, one-shots of the older one are listed and made anew."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any, Literal

from pydantic import BaseModel

from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Excerpt, Node, NodeAdapter
from oskren.core.slice.detect import detect
from oskren.core.slice.plan import carried, refound
from oskren.core.types import Failed
from oskren.store import Library
from oskren.store.documents import plans as kept
from oskren.store.library import node_of
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.slice import plans as slices
from oskren.work.slice import tasks as slicing
from oskren.work.slice.moving import Moving


def is_older(library: Library, sound: int, node: Node) -> bool:
    """Whether a sound has changed since its slices were found in ``node``: mended, or given another chain."""
    return node_hash(node) != node_hash(node_of(library.sound(sound)))


def take(studio: Studio, library: Library, sound: int) -> int:
    """Find the slices of a sound anew in the sound as it is now; what was corrected by hand stays at its moments. How many of that lie outside now."""
    newer = node_of(library.sound(sound))
    levels = slices.levels(studio, library, sound, newer)  # measured outside the turn: it may take a while
    with slices.turn(library, sound):
        older, plan = slices.plan_of(studio, library, sound)
        by_hand, lost = carried(plan, Moving.of(studio, library, older, newer), levels.seconds)
        kept.take_node(library, sound, newer, refound(by_hand, plan.settings, detect(levels, plan.settings)))
    return lost


def _cut_from(library: Library, sound: int) -> Node:
    """What one-shots of a sound are cut from: the sound as it is now, without its chain where the plan finishes raw slices."""
    node = node_of(library.sound(sound))
    raw = kept.finish_of(library, sound).through == "raw"
    return node.node if raw and isinstance(node, Chained) else node


def _cut_anew(node: Chained, start_s: float, end_s: float, moved: Callable[[float], float], newer: Node) -> Chained:
    """A one-shot cut from a newer state of its sound; moments in its finish that count from its start move along."""
    assert isinstance(node.node, Excerpt)
    before, chain = node.node.start_s, []
    for step in node.chain:
        if step.kind == "loop_seam":
            step = step.model_copy(update={"params": step.params | {"start_s": max(0.0, moved(before + step.params["start_s"]) - start_s)}})
        elif step.kind == "trim":
            step = step.model_copy(update={"params": step.params | {"end_s": end_s - start_s}})
        chain.append(step)
    return node.model_copy(update={"node": Excerpt(node=newer, start_s=start_s, end_s=end_s), "chain": tuple(chain)})


def older_one_shots(library: Library, sound: int) -> list[tuple[int, str, dict[str, Any]]]:
    """One-shots that were cut from an older state of a sound: id, name, and what each is made of."""
    source = library.sound(sound)
    now = node_hash(_cut_from(library, sound))
    known: dict[str, bool] = {}
    """Whether what some were cut from is an older state of this sound: hundreds are cut from one."""
    found = []
    for id, name, raw in kept.one_shots(library, source.audio):
        if raw.get("kind") != "chained" or raw["node"].get("kind") != "excerpt":
            continue
        cut_from = raw["node"]["node"]
        text = json.dumps(cut_from)
        if text not in known:
            node = NodeAdapter.validate_python(cut_from)
            own = node_hash(node)
            of_this = source.digest in (own, node_hash(node.node) if isinstance(node, Chained) else "")
            known[text] = of_this and own != now
        if known[text]:
            found.append((id, name, raw))
    return found


def remake(studio: Studio, library: Library, sound: int, progress: Progress = ALONE) -> Remade:
    """Make the one-shots of an older state of a sound anew from the sound as it is now: the same sounds, with newer audio.

    Each keeps its moments, its finish, its name and all that is said of it. One whose moments are not in the sound any more is left, as is one that
    cannot be rendered, which is named.
    """
    newer = _cut_from(library, sound)
    renderer = studio.renderer(library)
    seconds = renderer.output_shape(newer).seconds
    todo: list[tuple[int, Chained, float]] = []
    movings: dict[str, Moving] = {}
    for id, _, raw in older_one_shots(library, sound):
        node = NodeAdapter.validate_python(raw)
        assert isinstance(node, Chained) and isinstance(node.node, Excerpt)
        cut = node.node
        state = node_hash(cut.node)
        moving = movings[state] = movings.get(state) or Moving.of(studio, library, cut.node, newer)
        start, end = sorted(min(max(moving(moment), 0.0), seconds) for moment in (cut.start_s, cut.end_s))
        if end > start:
            attack = cut.start_s + renderer.time_map(node).to_input(library.sound(id).measures.get("anchor_s", 0.0))
            fresh = _cut_anew(node, start, end, moving, newer)
            anchor = renderer.time_map(fresh).to_output(moving(attack) - start)
            todo.append((id, fresh, min(max(anchor, 0.0), renderer.output_shape(fresh).seconds)))
    place = studio.place(library, newer, flag=progress.flag)
    calls = [(slicing.facts, place, node.model_dump(mode="json")) for _, node, _ in todo]
    failed = list[Failed]()
    for position, facts in studio.batch(calls, progress):
        id, node, anchor = todo[position]
        if slicing.FAILED in facts:
            failed.append({"path": library.sound(id).name, "reason": facts[slicing.FAILED]})
            continue
        measures = Measures(**facts["measures"]).model_copy(update={"anchor_s": round(anchor, 6), "anchor_kind": "hit"})
        values: dict[str, Any] = {"node": node.model_dump(mode="json"), "digest": node_hash(node), "measures": measures.model_dump()}
        library.change(id, values | {name: facts[name] for name in ("rate", "channels", "frames", "layout", "outline")})
    return Remade(sound=sound, remade=len(todo) - len(failed), failed=failed)


class Remaking(Arguments):
    """Make the one-shots of an older state of a sound anew."""

    sound: int


class Remade(BaseModel):
    """How many one-shots were made anew; and which could not be, with the reason."""

    kind: Literal["remake"] = "remake"
    sound: int
    remade: int
    failed: list[Failed] = []


def _remake(studio: Studio, library: Library, wanted: Remaking, progress: Progress) -> Remade:
    return remake(studio, library, wanted.sound, progress)


REMAKE = Kind("remake", Remaking, _remake, pauses=True)
