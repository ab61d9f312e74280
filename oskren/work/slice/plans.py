"""Slice plans of sounds, and the one-shots made from them."""

from __future__ import annotations

import functools
import tempfile
import threading
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import select

from oskren.core.audio.files import FileInfo
from oskren.core.errors import OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Node, NodeAdapter, Source
from oskren.core.ship.items import Item
from oskren.core.ship.sheet import Target
from oskren.core.ship.write import File
from oskren.core.slice.detect import FoundSlice, Levels, SliceSettings, detect
from oskren.core.slice.plan import AS_KEPT, Finish, Plan, one_shot, refound
from oskren.store import Library
from oskren.store.describe.keeping import note_uses
from oskren.store.documents.revisions import step_on
from oskren.store.library import node_of
from oskren.store.tables import SlicePlan, Sound
from oskren.work.engine import tasks
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import there
from oskren.work.ship.run import Written
from oskren.work.ship.tasks import ship
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


def revision_of(library: Library, sound: int) -> int:
    """The revision of a sound's plan; 0 when there is none."""
    with library.reading() as session:
        return session.scalar(select(SlicePlan.revision).where(SlicePlan.sound_id == sound)) or 0


def make_one_shots(studio: Studio, library: Library, sound: int, progress: Progress = ALONE) -> list[int]:
    """Make every kept slice of a sound's plan a one-shot of the library, finished; the new sounds' ids."""
    node, plan = plan_of(studio, library, sound)
    return make_of(studio, library, sound, node, plan, progress)


def make_of(studio: Studio, library: Library, sound: int, node: Node, plan: Plan, progress: Progress = ALONE) -> list[int]:
    """Make every kept slice of a plan a one-shot. After a restart those that are in the arrival it noted are not made again."""
    source = library.sound(sound)
    kept = plan.kept
    if not kept:
        raise OskrenError(f"{source.name}: the plan has no slices to make one-shots from; lower the sensitivity, or take a dropped slice back.")
    nodes = [one_shot(node, piece, plan.finish) for piece in kept]
    arrival = there(library, progress.noted("arrival") or 0) or library.arrival(f"Slices of {source.name}")
    progress.note("arrival", arrival)
    with library.reading() as session:
        before = dict(session.execute(select(Sound.digest, Sound.id).where(Sound.arrival_id == arrival)).all())
    todo = [position for position, one in enumerate(nodes) if node_hash(one) not in before]
    place = studio.place(library, node, flag=progress.flag)
    calls = [(tasks.facts, place, nodes[position].model_dump(mode="json")) for position in todo]
    facts = {todo[at]: found for at, found in studio.batch(calls, progress)}
    digits = max(2, len(str(len(kept))))
    made = []
    for position, (one, piece) in enumerate(zip(nodes, kept, strict=True)):
        if position not in facts:
            made.append(before[node_hash(one)])
            continue
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
                found["outline"],
                arrival,
                source.category,
                layout=found["layout"],
            )
        )
    return made


def cut_file(source: Path, info: FileInfo, pieces: Sequence[tuple[FoundSlice, Path]], finish: Finish, bits: Literal[24, 32]) -> Written:
    """Write slices of a file that is in no library, finished, each to its path, in this process; what came of it."""
    node = Source(audio="0" * 40, rate=info.rate, channels=info.channels, frames=info.frames)
    target, result = Target(bits=bits, dither=False), Written()
    with tempfile.TemporaryDirectory(prefix="oskren-") as folder:
        place = Workplace(folder, "", {node.audio: str(source)})
        for piece, path in pieces:
            path.parent.mkdir(parents=True, exist_ok=True)
            anchor = (round(piece.attack_s - piece.start_s, 6), "anchor")
            item = Item(node=one_shot(node, piece, finish), name=path.stem[:400], markers=(anchor,))
            for answered in ship(place, [File(item, target, path, str(path), may_be=True)]):
                result.add(answered)
    return result


class Cutting(Arguments):
    """Make one-shots of a sound by a plan, as both were when it was asked for."""

    sound: int
    node: Node
    plan: Plan


class OneShots(BaseModel):
    """The new one-shots, in the order of the plan."""

    kind: Literal["slice"] = "slice"
    sounds: list[int]


def _cut(studio: Studio, library: Library, wanted: Cutting, progress: Progress) -> OneShots:
    return OneShots(sounds=make_of(studio, library, wanted.sound, wanted.node, wanted.plan, progress))


CUT = Kind("slice", Cutting, _cut)
