"""Slice plans of sounds, and the one-shots made from them."""

from __future__ import annotations

import threading
from collections import defaultdict
from collections.abc import Callable
from pathlib import Path

from sqlalchemy import select

from oskren.core.errors import OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.model import Node, NodeAdapter, node_hash
from oskren.core.slicing.detect import Levels, Settings, detect
from oskren.core.slicing.plan import Plan, one_shot, refound
from oskren.store import Library
from oskren.store.keeping import note_uses
from oskren.store.library import node_of
from oskren.store.revisions import step_on
from oskren.store.tables import SlicePlan
from oskren.work import tasks
from oskren.work.studio import Studio, Told

_turns: defaultdict[tuple[str, int], threading.Lock] = defaultdict(threading.Lock)


def turn(library: Library, sound: int) -> threading.Lock:
    """Held while a plan is read, changed and kept, so that changes of it are made one after the other."""
    return _turns[(str(library.folder), sound)]


def levels(studio: Studio, library: Library, node: Node) -> Levels:
    """The levels slices of a node are found by; measured once, kept beside the waveforms."""
    path = Path(str(studio.place().peaks_path(node_hash(node))).replace(".npz", ".levels.npz"))
    if not path.exists():
        studio.workers.submit("asked", tasks.slice_levels, studio.place(library, node), node.model_dump(mode="json"), str(path)).result()
    return tasks.load_levels(path)


def find(studio: Studio, library: Library, node: Node, plan: Plan, settings: Settings) -> Plan:
    """Find anew with other settings; corrected slices stay."""
    return refound(plan, settings, detect(levels(studio, library, node), settings))


def plan_of(studio: Studio, library: Library, sound: int) -> tuple[Node, Plan]:
    """The plan of a sound; a first one is found when there is none. A plan keeps the sound as it was then."""
    with library.reading() as session:
        row = session.scalar(select(SlicePlan).where(SlicePlan.sound_id == sound))
    if row is not None:
        return NodeAdapter.validate_python(row.node), Plan.model_validate(row.plan)
    node = node_of(library.sound(sound))
    plan = find(studio, library, node, Plan(), Settings())
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


def revision_of(library: Library, sound: int) -> int:
    """The revision of a sound's plan; 0 when there is none."""
    with library.reading() as session:
        return session.scalar(select(SlicePlan.revision).where(SlicePlan.sound_id == sound)) or 0


def make_one_shots(
    studio: Studio, library: Library, sound: int, told: Told | None = None, stop: Callable[[], bool] = lambda: False, flag: str = ""
) -> list[int]:
    """Make every kept slice a one-shot of the library, finished; the new sounds' ids."""
    node, plan = plan_of(studio, library, sound)
    source = library.sound(sound)
    kept = plan.kept
    if not kept:
        raise OskrenError(f"{source.name}: the plan has no slices to make one-shots from; lower the sensitivity, or take a dropped slice back.")
    nodes = [one_shot(node, piece, plan.finish) for piece in kept]
    place = studio.place(library, node, flag=flag)
    facts = dict(studio.batch([(tasks.facts, place, one.model_dump(mode="json")) for one in nodes], told, stop))
    arrival = library.arrival(f"Slices of {source.name}")
    digits = max(2, len(str(len(kept))))
    made = []
    for position, (one, piece) in enumerate(zip(nodes, kept, strict=True)):
        found = facts[position]
        measures = Measures(**found["measures"]).model_copy(update={"anchor_s": round(piece.attack_s - piece.start_s, 6), "anchor_kind": "hit"})
        name = f"{source.name} {position + 1:0{digits}d}"
        made.append(
            library.add_made(
                name,
                "one-shot",
                one,
                found["rate"],
                found["channels"],
                found["frames"],
                measures,
                found["row"],
                arrival,
                source.category,
                layout=found["layout"],
            )
        )
    return made
