"""Review reels: what their takes are, what is suggested for each, and the selects made of them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import select

from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure.report import Measures
from oskren.core.mend import reel as rules
from oskren.core.mend.reel import Mark, Reel
from oskren.core.mend.suggest import Suggestions
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.model import Chained, Excerpt, Node, NodeAdapter, check_chain
from oskren.core.words.categories import clean
from oskren.store import Library
from oskren.store.describe import tree
from oskren.store.describe.arrivals import notes_of
from oskren.store.describe.keeping import note_uses
from oskren.store.describe.naming import code_of, codes, named
from oskren.store.documents.revisions import step_on
from oskren.store.tables import ReelRow, Sound
from oskren.work.engine import tasks
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.mend import tasks as mending

MOST_SELECTS = 500


@dataclass(frozen=True)
class Take:
    """A take on a reel: its sound, its node (raw), and its length (s)."""

    sound: Sound
    node: Node
    seconds: float


def takes(library: Library, reel: Reel) -> list[Take]:
    """The takes of a reel in their order."""
    found = []
    for id in reel.takes:
        sound = library.sound(id)
        found.append(Take(sound, NodeAdapter.validate_python(sound.node), sound.frames / sound.rate))
    return found


def load(library: Library, id: int) -> tuple[str, Reel]:
    """Name and content of a reel."""
    with library.reading() as session:
        row = session.get(ReelRow, id)
    if row is None or row.trashed:
        raise NotFound(f"There is no review reel {id} in this library; it may have been removed.")
    return row.name, Reel.model_validate(row.reel)


def heads(library: Library) -> list[tuple[int, str, Reel]]:
    """All reels, the newest first."""
    with library.reading() as session:
        rows = session.scalars(select(ReelRow).where(ReelRow.trashed.is_(None)).order_by(ReelRow.id.desc())).all()
    return [(row.id, row.name, Reel.model_validate(row.reel)) for row in rows]


def begin(library: Library, name: str, sounds: list[int], project: int = 1) -> int:
    """A new reel of sounds of the library, in the order given."""
    if not sounds:
        raise OskrenError("A review reel needs a take; choose some in Gather.")
    if len(sounds) > rules.MOST_TAKES:
        raise OskrenError(f"A review reel holds at most {rules.MOST_TAKES} takes; {len(sounds)} are chosen.")
    reel = Reel(takes=tuple(dict.fromkeys(sounds)))
    lengths = {take.sound.id: take.seconds for take in takes(library, reel)}
    rules.check(reel, lengths)
    with library.writing() as session:
        row = ReelRow(name=name.strip() or "Review reel", reel=reel.model_dump(mode="json"), project=project)
        session.add(row)
        session.flush()
        note_uses(session, "reel", row.id, [NodeAdapter.validate_python(library.sound(one).node) for one in reel.takes], project)
        id = row.id
    library.columns.touch_uses()
    return id


def save(library: Library, id: int, reel: Reel, based_on: int | None = None) -> tuple[int, str]:
    """Keep a reel as it is now; its new revision, and why its steps were not kept, in a sentence, or nothing.

    What is marked is kept whatever becomes of the steps: a step that would move marks is left out, with the reason.
    """
    _, before = load(library, id)
    refused = rules.moving(reel)
    if refused:
        kept_chains = {mark.id: mark.chain for mark in before.marks}
        marks = tuple(mark.model_copy(update={"chain": kept_chains.get(mark.id, ())}) if mark.chain else mark for mark in reel.marks)
        reel = reel.model_copy(update={"chain": before.chain, "marks": marks})
    check_chain(reel.chain, before.chain)
    kept = {mark.id: mark for mark in before.marks}
    for mark in reel.marks:
        check_chain(mark.chain, kept[mark.id].chain if mark.id in kept else ())
    reel = reel.model_copy(
        update={"marks": tuple(mark.model_copy(update={"category": clean(mark.category)}) if mark.category else mark for mark in reel.marks)}
    )
    found = takes(library, reel)
    rules.check(reel, {take.sound.id: take.seconds for take in found})
    with library.writing() as session:
        row = session.get(ReelRow, id)
        assert row is not None
        step_on(row, based_on, row.name)
        row.reel = reel.model_dump(mode="json")
        if before.takes != reel.takes:
            note_uses(session, "reel", id, [take.node for take in found], row.project)
        revision = row.revision or 0
    if before.takes != reel.takes:
        library.columns.touch_uses()
    return revision, f"{refused} That step was taken back; the marks are kept." if refused else ""


def revision_of(library: Library, id: int) -> int:
    """The revision of a reel."""
    with library.reading() as session:
        return session.scalar(select(ReelRow.revision).where(ReelRow.id == id)) or 0


def suggestions(studio: Studio, library: Library, id: int) -> Suggestions:
    """Suggestions for a take, computed once and kept beside its waveform."""
    node = NodeAdapter.validate_python(library.sound(id).node)
    path = Path(str(studio.place().peaks_path(node_hash(node))).replace(".npz", ".suggested.json"))
    if not path.exists():
        studio.workers.submit("batch", mending.suggest_parts, studio.place(library, node), node.model_dump(mode="json"), str(path)).result()
    return Suggestions.model_validate_json(path.read_text())


def names(library: Library, reel: Reel, marks: list[Mark]) -> list[tuple[str, list[str]]]:
    """The name each mark's select would have, and what is wrong with it."""
    known, rows = codes(library), []
    for mark in marks:
        sound = library.sound(mark.take)
        category = mark.category or sound.category
        rows.append(
            {
                "code": code_of(category, known) if category else "",
                "category": category.split("/")[-1],
                "place": notes_of(library, sound.arrival_id).place,
                "words": mark.words,
                "take": sound.name,
                "date": (sound.recorded or sound.created)[:10],
            }
        )
    return named(library, reel.template, rows)


def make_selects(studio: Studio, library: Library, id: int, progress: Progress = ALONE) -> list[int]:
    """Make what is kept (and material) entries of the library: excerpts of the raw takes with their chains; the new ids.

    A mark whose select exists already is not made again.
    """
    _, reel = load(library, id)
    by_number = {take.sound.id: take for take in takes(library, reel)}
    wanted = [mark for mark in reel.marks if mark.kind in ("keep", "material")]
    wanted = [mark for mark in wanted if not _made(library, by_number[mark.take], mark)]
    if not wanted:
        raise OskrenError("Nothing new is marked to be kept on this reel; mark parts with K while listening.")
    if len(wanted) > MOST_SELECTS:
        raise OskrenError(f"At most {MOST_SELECTS} selects can be made at once; this reel has {len(wanted)} kept marks.")
    wanted.sort(key=lambda mark: (reel.takes.index(mark.take), mark.start_s))
    named_ = names(library, reel, wanted)
    pieces = [rules.select(reel, mark, by_number[mark.take].node) for mark in wanted]
    calls = []
    for node, chain in pieces:
        heard = Chained(node=node, chain=chain)
        place = studio.place(library, heard, flag=progress.flag)
        calls.append((tasks.facts_or_reason, place, node.model_dump(mode="json")))
    facts = dict(studio.batch(calls, progress))
    known = {category.path for category in tree.categories(library)}
    for path in dict.fromkeys(mark.category for mark in wanted if mark.category and mark.category not in known):
        tree.add(library, path)
    made, failed = [], list[str]()
    for position, (mark, (node, chain)) in enumerate(zip(wanted, pieces, strict=True)):
        sound, found = by_number[mark.take].sound, facts[position]
        if "reason" in found:
            failed.append(f"{sound.name} at {mark.start_s:.2f} s: {found['reason']}")
            continue
        tags = dict.fromkeys([*sound.tags.split(), *mark.words.lower().split(), *(["material"] if mark.kind == "material" else [])])
        select_ = library.add_made(
            named_[position][0][:400] or f"{sound.name} select {position + 1:02d}",
            "excerpt",
            node,
            found["rate"],
            found["channels"],
            found["frames"],
            Measures(**found["measures"]),
            found["outline"],
            sound.arrival_id,
            mark.category or sound.category,
            tags=tuple(tags),
            sure=1.0 if mark.category else sound.category_sure,
            cut_from=sound.id,
            layout=found["layout"],
            recorded=sound.recorded,
            rights=sound.rights,
        )
        if chain:
            library.change(select_, {"chain": [step.model_dump(mode="json") for step in chain]})
        made.append(select_)
    if failed:
        raise OskrenError(f"{len(made)} of {len(wanted)} selects were made; {failed[0]}")
    return made


def _made(library: Library, take: Take, mark: Mark) -> bool:
    """Whether a mark's select is in the library already: the same part of the same take."""
    node = Excerpt(node=take.node, start_s=mark.start_s, end_s=mark.end_s)
    with library.reading() as session:
        query = select(Sound.id).where(Sound.cut_from == take.sound.id, Sound.digest == node_hash(node), Sound.trashed.is_(None))
        return session.scalar(query.limit(1)) is not None


class Selecting(Arguments):
    """Make what is kept of a reel selects."""

    reel: int


class Selected(BaseModel):
    """The new excerpts."""

    kind: Literal["selects"] = "selects"
    sounds: list[int]


SELECT = Kind(
    "selects",
    Selecting,
    lambda studio, library, wanted, progress: Selected(sounds=make_selects(studio, library, wanted.reel, progress)),
    left="What was made stays; make selects once more for the others.",
)
