"""One-shots of slices: what each is made of, heard before it is kept; and all of them made as a job."""

from __future__ import annotations

import functools
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy import delete, select

from oskren.core.audio.files import FileInfo
from oskren.core.audio.metadata import LoopPart
from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Member, Mix, Node, Source
from oskren.core.nodes.render import Renderer
from oskren.core.ship.items import Item
from oskren.core.ship.target import Target
from oskren.core.ship.write import File
from oskren.core.slice.detect import FoundSlice
from oskren.core.slice.finish import Finish, Known, Slice, one_shot, shifted, sounding
from oskren.core.slice.plan import Plan
from oskren.core.types import Failed
from oskren.core.words.names import ONE_SHOT_TOKENS, check_template, filled
from oskren.core.words.propose import Proposal
from oskren.store import Library
from oskren.store.library import MadeSound, node_of
from oskren.store.tables import Arrival, Sound
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.gather.importing import there
from oskren.work.ship.run import Written
from oskren.work.ship.tasks import ship
from oskren.work.slice import measuring
from oskren.work.slice import tasks as slicing
from oskren.work.slice.moving import Moving
from oskren.work.slice.plans import levels, plan_of


class OneShots(BaseModel):
    """The new one-shots, in the order of the plan, those of the first sound before those of its stems; and what could not be made, with the reason."""

    kind: Literal["slice"] = "slice"
    sounds: list[int]
    failed: list[Failed] = []


@dataclass(frozen=True)
class Made:
    """What a one-shot is made of: the slice it comes of, its node, where its attack and its loop lie in it (s), and of which sound it is cut."""

    slice: Slice
    node: Chained
    anchor_s: float
    loop: tuple[float, float] | None
    sound: int


def one_shots_of(studio: Studio, library: Library, sound: int, node: Node, plan: Plan, pieces: Sequence[Slice]) -> list[Made]:
    """What the one-shots of some slices of a plan are made of, as its finish says; nothing is rendered."""
    return _cut_from(studio, library, sound, node, plan, pieces, _known(studio, node, plan))


def _cut_from(
    studio: Studio,
    library: Library,
    sound: int,
    node: Node,
    plan: Plan,
    pieces: Sequence[Slice],
    known: Mapping[int, Known],
    moved: Callable[[float], float] | None = None,
) -> list[Made]:
    """One-shots of slices cut from a sound; ``moved`` carries moments of the sound they were found in to this one. What lies outside is left out."""
    finish, renderer = plan.finish, studio.renderer(library)
    heard = levels(studio, library, sound, node) if finish.silence_dbfs is not None else None
    # from state to state of the sound a slice is carried to, with the length of each
    ways = [] if moved is None else [(moved, renderer.output_shape(node).seconds)]
    source = node
    raw = []
    if finish.through == "raw" and isinstance(node, Chained):
        source = node.node
        raw = [(renderer.time_map(node).to_input, renderer.output_shape(source).seconds)]
    found = []
    for piece in pieces:
        cut = _carried(piece, ways)
        if cut is not None and heard is not None:
            cut = sounding(heard, cut, finish)
        cut = None if cut is None else _carried(cut, raw)
        if cut is not None:
            found.append(_made(renderer, sound, piece, cut, source, finish, known.get(piece.id, Known())))
    return found


def _carried(piece: Slice, ways: Sequence[tuple[Callable[[float], float], float]]) -> Slice | None:
    """A slice at the same moments of other states of its sound; None where they are not in one."""
    found: Slice | None = piece
    for moved, seconds in ways:
        found = None if found is None else shifted(found, moved, seconds)
    return found


def _made(renderer: Renderer, sound: int, piece: Slice, cut: Slice, source: Node, finish: Finish, known: Known) -> Made:
    one = one_shot(source, cut, finish, known)
    to_output, length = renderer.time_map(one).to_output, renderer.output_shape(one).seconds
    anchor = min(max(to_output(cut.attack_s - cut.start_s), 0.0), length)
    loop = None if cut.loop is None else (round(to_output(cut.loop.start_s - cut.start_s), 6), round(length, 6))
    return Made(piece, one, round(anchor, 6), loop, sound)


def _known(studio: Studio, node: Node, plan: Plan) -> dict[int, Known]:
    """What the finish goes by, where it goes by anything that is measured."""
    if plan.finish.mono != "better" and not plan.finish.tune_to:
        return {}
    return {row.id: Known(row.pitch_hz, row.channel) for row in measuring.measured(studio, node, plan)[0]}


def _of_stem(studio: Studio, library: Library, node: Node, plan: Plan, stem: int, progress: Progress) -> list[Made]:
    """The kept slices of a plan cut from a sound that was recorded with it, at the same moments.

    The better channel is its own; pitch goes by the first sound, so that what was played together stays in tune.
    """
    try:
        other = node_of(library.sound(stem))
    except NotFound:
        raise OskrenError("A sound that is sliced along is not in the library any more; leave it out in Finish.") from None
    moving, known = Moving.of(studio, library, node, other), _known(studio, node, plan)
    if plan.finish.mono == "better":
        ways = [(moving, studio.renderer(library).output_shape(other).seconds)]
        along = plan.model_copy(update={"slices": tuple(cut for piece in plan.kept if (cut := _carried(piece, ways)) is not None)})
        measuring.measure_plan(studio, library, other, along, progress)
        own = {row.id: row.channel for row in measuring.measured(studio, other, along)[0]}
        known = {piece.id: known.get(piece.id, Known())._replace(channel=own.get(piece.id, 1)) for piece in plan.kept}
    return _cut_from(studio, library, stem, other, plan, plan.kept, known, moving)


def mix_of(name: str, plan: Plan, made: Sequence[Made]) -> Mix:
    """One-shots as layers of a mix, their attacks on its strike line, each called by its place in the plan."""
    places = {piece.id: place for place, piece in enumerate(plan.slices, 1)}
    members = [Member(id=f"slice-{one.slice.id}", name=f"{name} {places[one.slice.id]}", node=one.node, anchor_s=one.anchor_s) for one in made]
    return Mix(members=tuple(members))


def measure_first(studio: Studio, library: Library, node: Node, plan: Plan, progress: Progress) -> None:
    """Measure what the finish of a plan goes by, or what its one-shots are called by."""
    if plan.finish.mono == "better" or plan.finish.tune_to or "{alike" in plan.names:
        measuring.measure_plan(studio, library, node, plan, progress)


def make_one_shots(studio: Studio, library: Library, sound: int, progress: Progress = ALONE) -> OneShots:
    """Make every kept slice of a sound's plan a one-shot of the library, finished."""
    node, plan = plan_of(studio, library, sound)
    return make_of(studio, library, sound, node, plan, progress)


def make_of(studio: Studio, library: Library, sound: int, node: Node, plan: Plan, progress: Progress = ALONE) -> OneShots:
    """Make every kept slice of a plan a one-shot, of the sound and of its stems.

    One that cannot be rendered is named, and the others are made. After a restart those that are in the arrival it noted are not made again.

    Raises
    ------
    OskrenError
        When the plan keeps no slice, or none of them can be rendered.
    """
    source = library.sound(sound)
    kept = plan.kept
    if not kept:
        raise OskrenError(f"{source.name}: the plan has no slices to make one-shots from; lower the sensitivity, or take a dropped slice back.")
    check_template(plan.names, ONE_SHOT_TOKENS)
    measure_first(studio, library, node, plan, progress)
    wanted = one_shots_of(studio, library, sound, node, plan, kept)
    for stem in plan.stems:
        wanted += _of_stem(studio, library, node, plan, stem, progress)
    arrival = there(library, progress.noted("arrival") or 0) or library.arrival(f"Slices of {source.name}")
    progress.note("arrival", arrival)
    with library.reading() as session:
        before = dict(session.execute(select(Sound.digest, Sound.id).where(Sound.arrival_id == arrival)).all())
    digests = [node_hash(one.node) for one in wanted]
    todo = [position for position, digest in enumerate(digests) if digest not in before]
    # one of each sound names all the files: of the sound, and of what steps of the finish are given beside it
    place = studio.place(library, *{one.sound: one.node for one in wanted}.values(), flag=progress.flag)
    at = 0
    told, ids, ready = _Telling(studio, library, node, plan), dict[int, int](), dict[int, dict[str, Any]]()
    known = measuring.slowly(studio, node, plan) if _keeps_sound(plan.finish) else {}
    chunks = [todo[at : at + AT_ONCE] for at in range(0, len(todo), AT_ONCE)]
    nodes = [[wanted[position].node.model_dump(mode="json") for position in chunk] for chunk in chunks]
    slow = [[known.get(wanted[position].slice.id) if wanted[position].sound == sound else None for position in chunk] for chunk in chunks]
    calls = [(slicing.shots, place, *call) for call in zip(nodes, slow, strict=True)]
    for chunk, found in studio.batch(calls, progress, counts=False):
        ready |= dict(zip(chunks[chunk], found, strict=True))
        progress.at(len(ready), len(todo))
        # kept in the order of the plan, as far as it goes without a gap
        begun = at
        while at < len(todo) and todo[at] in ready:
            at += 1
        fresh = [position for position in todo[begun:at] if slicing.FAILED not in ready[position]]
        rows = [told.sound(wanted[position], ready[position]) for position in fresh]
        ids |= dict(zip(fresh, library.add_all_made(rows, arrival), strict=True))
    sounds = [ids[position] if position in ids else before[digest] for position, digest in enumerate(digests) if position in ids or digest in before]
    failed: list[Failed] = [
        {"path": told.name(wanted[position]), "reason": ready[position][slicing.FAILED]} for position in todo if slicing.FAILED in ready[position]
    ]
    if failed and not sounds:
        with library.writing() as session:  # no arrival without a sound
            session.execute(delete(Arrival).where(Arrival.id == arrival))
        raise OskrenError(f"{failed[0]['path']}: {failed[0]['reason']}")
    return OneShots(sounds=sounds, failed=failed)


AT_ONCE = 8
"""One-shots a worker makes before it tells, and that go into the library together."""


def _keeps_sound(finish: Finish) -> bool:
    """Whether a finish leaves pitch, bandwidth and key as they are: it changes channels, ends and level alone."""
    return finish.through == "sound" and not finish.chain and not finish.tune_to


class _Telling:
    """What the one-shots of a plan are called and tagged."""

    def __init__(self, studio: Studio, library: Library, node: Node, plan: Plan):
        self._plan, self._library = plan, library
        self._digits = max(2, len(str(len(plan.kept))))
        self._number = {piece.id: place for place, piece in enumerate(plan.kept, 1)}
        self._kits = {id: kit.name for kit in plan.kits for id in kit.slices}
        self._groups = {row.id: row.group for row in measuring.measured(studio, node, plan)[0] if row.group is not None}

    @functools.cached_property
    def _sounds(self) -> Callable[[int], tuple[str, str]]:
        return functools.cache(lambda id: (self._library.sound(id).name, self._library.sound(id).category))

    def sound(self, one: Made, found: dict[str, Any]) -> MadeSound:
        """A one-shot as it goes into the library, with what was measured of it."""
        measures = Measures(**found["measures"]).model_copy(update={"anchor_s": one.anchor_s, "anchor_kind": "hit"})
        said = {} if one.loop is None else {"loops": [LoopPart(start_s=one.loop[0], end_s=one.loop[1]).model_dump()]}
        return MadeSound(
            self.name(one),
            "one-shot",
            one.node,
            (found["rate"], found["channels"], found["frames"]),
            measures,
            found["outline"],
            Proposal(self._sounds(one.sound)[1], tuple(self.tags(one)), 1.0),
            {"layout": found["layout"], "said": said},
        )

    def name(self, one: Made) -> str:
        of, category = self._sounds(one.sound)
        group = self._groups.get(one.slice.id)
        values = {
            "name": of,
            "number": f"{self._number[one.slice.id]:0{self._digits}d}",
            "kit": self._kits.get(one.slice.id, ""),
            "alike": "" if group is None else group,
            "category": category.split("/")[-1],
            "length": f"{one.slice.end_s - one.slice.start_s:.2f}",
        }
        return filled(self._plan.names, values, ONE_SHOT_TOKENS)[:400]

    def tags(self, one: Made) -> list[str]:
        kit, group = self._kits.get(one.slice.id), self._groups.get(one.slice.id)
        return [tag for tag in ("-".join((kit or "").lower().split()), "" if group is None else f"alike-{group}") if tag]


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


def _cut(studio: Studio, library: Library, wanted: Cutting, progress: Progress) -> OneShots:
    return make_of(studio, library, wanted.sound, wanted.node, wanted.plan, progress)


CUT = Kind("slice", Cutting, _cut, pauses=True)
