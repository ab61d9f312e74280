"""Slice plans of sounds."""

from __future__ import annotations

import functools
import threading
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from sqlalchemy import select

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Node, NodeAdapter
from oskren.core.slice.detect import Levels, SliceSettings, detect
from oskren.core.slice.finish import SliceLoop
from oskren.core.slice.plan import AS_KEPT, Plan, refound
from oskren.store import Library
from oskren.store.describe.keeping import note_uses
from oskren.store.documents.revisions import step_on
from oskren.store.library import node_of
from oskren.store.tables import SlicePlan
from oskren.work.engine.studio import Studio
from oskren.work.slice import tasks as slicing

_turns: defaultdict[tuple[str, int], threading.Lock] = defaultdict(threading.Lock)


def turn(library: Library, sound: int) -> threading.Lock:
    """Held while a plan is read, changed and kept, so that changes of it are made one after the other."""
    return _turns[(str(library.folder), sound)]


@functools.lru_cache(maxsize=2)
def _measured(path: Path, markers: tuple[tuple[float, float], ...]) -> Levels:
    """Levels from a file that never changes; kept, since every edit of a plan asks for them."""
    return replace(slicing.load_levels(path), markers=markers)


def levels(studio: Studio, library: Library, sound: int, node: Node) -> Levels:
    """The levels slices of a sound's node are found by, measured once and kept beside the waveforms; and its markers."""
    path = Path(str(studio.place().peaks_path(node_hash(node))).replace(".npz", ".slices.npz"))
    if not path.exists():
        studio.workers.submit("asked", slicing.slice_levels, studio.place(library, node), node.model_dump(mode="json"), str(path)).result()
    marks = [mark for mark in library.sound(sound).said.get("markers", []) if mark.get("label", "").lower() != "anchor"]
    if not marks:
        return _measured(path, ())
    moved = studio.place(library, node).renderer().time_map(node).to_output
    ends = [sorted((moved(mark["at_s"]), moved(mark["at_s"] + mark.get("length_s", 0.0)))) for mark in marks]
    return _measured(path, tuple((first, last) for first, last in ends))


def find(studio: Studio, library: Library, sound: int, node: Node, plan: Plan, settings: SliceSettings) -> Plan:
    """Find anew with other settings; corrected slices stay."""
    return refound(plan, settings, detect(levels(studio, library, sound, node), settings))


def plan_of(studio: Studio, library: Library, sound: int) -> tuple[Node, Plan]:
    """The plan of a sound; a first one is found when there is none. A plan keeps the sound as it was then."""
    with library.reading() as session:
        row = session.scalar(select(SlicePlan).where(SlicePlan.sound_id == sound))
    if row is not None:
        return NodeAdapter.validate_python(row.node), Plan.model_validate(row.plan, context=AS_KEPT)
    node = node_of(library.sound(sound))
    plan = find(studio, library, sound, node, Plan(), SliceSettings())
    save(library, sound, node, plan)
    return node, plan


def save(library: Library, sound: int, node: Node, plan: Plan, based_on: int | None = None) -> int:
    """Keep the plan of a sound; its new revision. Conflict when it is not based on the one that is kept."""
    with library.writing() as session:
        row = session.scalar(select(SlicePlan).where(SlicePlan.sound_id == sound))
        if row is None:
            row = SlicePlan(sound_id=sound, node=node.model_dump(mode="json"), plan=plan.model_dump(mode="json"))
            session.add(row)
            session.flush()
            note_uses(session, "plan", row.id, [node], row.project)
            library.columns.touch_uses()
        else:
            step_on(row, based_on, "The plan")
            row.plan = plan.model_dump(mode="json")
        return row.revision or 0


def crossings(studio: Studio, library: Library, sound: int, ids: Sequence[int]) -> dict[int, tuple[float, float]]:
    """Where the edges of some slices lie when each is put on the zero crossing nearest to it, by the id of the slice (s)."""
    node, plan = plan_of(studio, library, sound)
    pieces = [piece for piece in plan.slices if piece.id in set(ids)]
    moments = [moment for piece in pieces for moment in (piece.start_s, piece.end_s)]
    place = studio.place(library, node)
    found: list[float] = studio.workers.submit("asked", slicing.crossings, place, node.model_dump(mode="json"), moments).result()
    return {piece.id: (found[2 * k], found[2 * k + 1]) for k, piece in enumerate(pieces)}


def best_loop(studio: Studio, library: Library, sound: int, id: int) -> SliceLoop:
    """The best loop of a slice."""
    node, plan = plan_of(studio, library, sound)
    piece = next((one for one in plan.slices if one.id == id), None)
    if piece is None:
        raise NotFound(f"There is no slice {id} in this plan; find again.")
    place = studio.place(library, node)
    asked = (place, node.model_dump(mode="json"), piece.start_s, piece.end_s, piece.attack_s)
    found = studio.workers.submit("asked", slicing.best_loop, *asked).result()
    if found is None:
        raise OskrenError("This slice is too short to loop, or silent; a quarter of a second after its attack is needed.")
    return SliceLoop(start_s=found[0], end_s=found[1], crossfade_s=found[2])


def revision_of(library: Library, sound: int) -> int:
    """The revision of a sound's plan; 0 when there is none."""
    with library.reading() as session:
        return session.scalar(select(SlicePlan.revision).where(SlicePlan.sound_id == sound)) or 0
