"""Spreads: variations of a design drawn, rendered, judged and printed."""

from __future__ import annotations

import importlib.metadata
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy import select

import oskren
from oskren.core.errors import NotFound, OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.missing import without_missing
from oskren.core.nodes.model import Member, Mix, Node, NodeAdapter
from oskren.core.vary.fitting import fitted
from oskren.core.vary.guards import Reference, reference
from oskren.core.vary.near import around, between, quick
from oskren.core.vary.recipe import Candidate, Recipe, draw
from oskren.store import Library
from oskren.store.describe.keeping import note_uses
from oskren.store.documents import designs, recipes
from oskren.store.documents import spreads as spreads_kept
from oskren.store.documents.spreads import spread_row
from oskren.store.tables import Draw, Spread
from oskren.work.engine import tasks
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.place import Workplace
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.ship.items import lineage
from oskren.work.stack.designs import layer_of_sound
from oskren.work.stack.sources import candidates
from oskren.work.vary.rendering import matched_facts
from oskren.work.vary.taking import TakingRows

MOST_CANDIDATES = 500


def versions() -> str:
    """The versions that decide whether a draw sounds the same to the sample."""
    return f"Oskren {oskren.__version__}, soxr {importlib.metadata.version('soxr')}, python-stretch {importlib.metadata.version('python-stretch')}"


def make(
    library: Library,
    name: str,
    design: int | None,
    mix: Mix,
    recipe: Recipe,
    seed: int,
    count: int,
    project: int = 1,
    *,
    sound: int | None = None,
    alone: bool = False,
) -> int:
    """Write a spread with its draws, not rendered yet; its id.

    ``sound`` is what it is drawn from where that is no design. One that is ``alone`` is drawn anew from what it holds, not from its design.
    """
    mixes = [draw(mix, recipe, seed, number) for number in range(1, count + 1)]
    with library.writing() as session:
        spread = Spread(design_id=design, name=name, seed=seed, mix=mix.model_dump(mode="json"), recipe=recipe.model_dump(mode="json"), made_with=versions())
        spread.project, spread.sound_id = project, sound
        spread.facts = {"alone": True} if alone else {}
        session.add(spread)
        session.flush()
        # a later number may draw a candidate that none of these did
        note_uses(session, "spread", spread.id, [mix, *(candidate.node for one in recipe.freedoms for candidate in one.candidates)], project)
        for number, one in enumerate(mixes, 1):
            session.add(Draw(spread_id=spread.id, number=number, digest=node_hash(one), mix=one.model_dump(mode="json")))
    library.columns.touch_uses()
    return spread.id


def with_candidates(library: Library, recipe: Recipe, project: int = 1) -> Recipe:
    """A recipe with what its searches find now written into it, so that its spread draws from the same ever after.

    Raises
    ------
    OskrenError
        When a search finds nothing.
    """
    freedoms = []
    for one in recipe.freedoms:
        if one.path.endswith("/source") and one.search.strip():
            found = candidates(library, one.search, project)[:MOST_CANDIDATES]
            if not found:
                raise OskrenError(f"The search '{one.search}' finds no sound to draw from; make it wider.")
            layers = [layer_of_sound(library, id) for id in found]
            one = one.model_copy(
                update={"candidates": tuple(Candidate(name=layer.name, node=layer.node, anchor_s=layer.anchor_s, origin=layer.origin) for layer in layers)}
            )
        freedoms.append(one)
    return recipe.model_copy(update={"freedoms": tuple(freedoms)})


@dataclass(frozen=True)
class Part:
    """So many variations by a saved recipe."""

    recipe: int
    count: int


def make_family(library: Library, design: int, parts: Sequence[Part], seed: int) -> tuple[list[int], list[str]]:
    """Write one spread a recipe, each named by the design and the recipe, and matched to the same design; their ids, and what did not fit."""
    row, mix = designs.design(library, design)
    made, said = [], []
    for part in parts:
        saved, recipe = recipes.recipe(library, part.recipe)
        fits, sentences = fitted(recipe, mix)
        said += [f"{saved.name}, {sentence}" for sentence in sentences]
        if not fits.freedoms:
            raise OskrenError(f"Nothing of the recipe {saved.name} fits {row.name}; {' '.join(sentences) or 'it frees nothing.'}")
        fits = with_candidates(library, fits, row.project)
        made.append(make(library, f"{row.name} {saved.name}", row.id, mix, fits, seed, part.count, row.project))
    with library.writing() as session:
        for id in made:
            one = spread_row(session, id)
            one.facts = {**one.facts, "family": made}
    return made, said


def make_quick(library: Library, layer: Member, sound: int, count: int, amount: float, seed: int, project: int) -> int:
    """Write a spread of copies of one sound that differ as takes do; its id."""
    mix, recipe = quick(layer, amount)
    return make(library, layer.name, None, mix, recipe, seed, count, project, sound=sound, alone=True)


def make_near(library: Library, spread: int, draw_: int, other: int | None, seed: int, count: int) -> int:
    """Write a spread around one variation of another, or between two of it; its id."""
    row, design, draws = spreads_kept.spread(library, spread)
    numbers = {one.id: one.number for one in draws}
    if draw_ not in numbers or (other is not None and other not in numbers):
        raise NotFound("One of these variations is not there any more; it may have been drawn anew.")
    mix, recipe = Mix.model_validate(row.mix), Recipe.model_validate(row.recipe)
    if other is None:
        mix, recipe = around(mix, recipe, row.seed, numbers[draw_])
    else:
        recipe = between(mix, recipe, row.seed, numbers[draw_], numbers[other])
    return make(library, f"{row.name} {recipe.name}", design, mix, recipe, seed, count, row.project, sound=row.sound_id, alone=True)


def render(studio: Studio, library: Library, spread: int, progress: Progress = ALONE) -> int:
    """Render and measure every draw that has no facts yet, take those that break no guard and draw the next number for the others; how many were taken.

    Layers whose file is missing are passed over.

    Raises
    ------
    OskrenError
        When some cannot be rendered; the others are.
    """
    failed: dict[int, str] = {}
    taken = 0
    with library.reading() as session:
        taking = TakingRows(spread_row(session, spread), list(session.scalars(select(Draw).where(Draw.spread_id == spread).order_by(Draw.number))))
    while todo := _waiting(library, spread, failed):
        with library.reading() as session:
            head = spread_row(session, spread)
        base, recipe = NodeAdapter.validate_python(head.mix), Recipe.model_validate(head.recipe)
        place = studio.place(library, base, *(NodeAdapter.validate_python(row.mix) for row in todo), flag=progress.flag)
        wanted = _reference(studio, library, spread, base, place, recipe)
        mixes = [without_missing(NodeAdapter.validate_python(row.mix), place.gone)[0].model_dump(mode="json") for row in todo]
        made: dict[int, dict[str, Any]] = {}
        order = 0
        for position, one in studio.batch([(matched_facts, place, mix, wanted, recipe.within_lu) for mix in mixes], progress):
            made[position] = one
            # taken in order of their numbers, whichever is rendered first: what repeats another is the later one
            while order in made:
                row, one = todo[order], made.pop(order)
                order += 1
                if "reason" in one:
                    failed[row.id] = f"No {row.number}: {one['reason']}"
                else:
                    taken += _take(library, spread, taking, row, one)
    if failed:
        raise OskrenError(f"{taken} of {taken + len(failed)} variations were drawn; {next(iter(failed.values()))}")
    return taken


def _waiting(library: Library, spread: int, failed: Collection[int]) -> list[Draw]:
    with library.reading() as session:
        rows = list(session.scalars(select(Draw).where(Draw.spread_id == spread).order_by(Draw.number)))
    return [row for row in rows if not row.facts and row.id not in failed]


def _take(library: Library, spread: int, taking: TakingRows, waiting: Draw, made: dict[str, Any]) -> bool:
    with library.writing() as session:
        row = session.get(Draw, waiting.id)
        # meanwhile it may have been dropped and drawn anew
        return row is not None and row.number == waiting.number and taking.take(spread_row(session, spread), row, made)


def _reference(studio: Studio, library: Library, spread: int, base: Node, place: Workplace, recipe: Recipe) -> Reference | None:
    """What the draws of a spread are matched to: the design's own loudness, measured once and kept with the spread.

    The design is rendered first in any case: its draws read from the cache what they share with it.
    """
    with library.reading() as session:
        known = spread_row(session, spread).facts.get("reference")
    if known is None or recipe.match != "loudness":
        [(_, made)] = studio.batch([(tasks.facts_or_reason, place, without_missing(base, place.gone)[0].model_dump(mode="json"))], counts=False)
        if "reason" in made or recipe.match != "loudness":
            return None
        found = reference(made["measures"], made["frames"] / made["rate"])
        with library.writing() as session:
            row = spread_row(session, spread)
            row.facts = {**row.facts, "reference": found._asdict() if found else {}}
        return found
    return Reference(**known) if known else None


def print_kept(studio: Studio, library: Library, spread: int, progress: Progress = ALONE) -> list[int]:
    """Print the kept draws to the library, numbered, with those of the whole family the spread is of; the new sounds' ids."""
    with library.reading() as session:
        family = spread_row(session, spread).facts.get("family") or [spread]
        heads = [row for id in family if (row := session.get(Spread, id)) is not None]
        kept = {head.id: list(session.scalars(select(Draw).where(Draw.spread_id == head.id, Draw.state == "kept").order_by(Draw.number))) for head in heads}
    total = sum(len(those) for those in kept.values())
    if not total:
        raise OskrenError("No variation of this spread is kept yet; keep at least one (K) and print again.")
    if not all(one.facts for those in kept.values() for one in those):
        raise OskrenError("The variations are still being rendered; print when they are ready.")
    whole = _measured_whole(studio, library, [one for those in kept.values() for one in those], progress)
    arrival = library.arrival(f"Variations of {heads[0].name}")
    made: list[int] = []
    for head in heads:
        for place, one in enumerate(kept[head.id], 1):
            facts = one.facts
            made.append(
                library.add_made(
                    f"{head.name} {place:02d}",
                    "variation",
                    Mix.model_validate(one.mix),
                    facts["rate"],
                    facts["channels"],
                    facts["frames"],
                    Measures(**whole.get(one.id, facts["measures"])),
                    one.outline,
                    arrival,
                    layout=facts.get("layout", ""),
                    notes=lineage(head, one.number),
                )
            )
            progress.at(len(made), total)
    return made


def _measured_whole(studio: Studio, library: Library, draws: Sequence[Draw], progress: Progress) -> dict[int, dict[str, Any]]:
    """All that the library asks of a sound, measured of draws, which were measured for less."""
    nodes = [NodeAdapter.validate_python(one.mix) for one in draws]
    place = studio.place(library, *nodes, flag=progress.flag)
    calls = [(tasks.facts_or_reason, place, without_missing(node, place.gone)[0].model_dump(mode="json")) for node in nodes]
    return {draws[position].id: made["measures"] for position, made in studio.batch(calls, counts=False) if "reason" not in made}


class Drawing(Arguments):
    """Render what is not rendered yet of a spread, and of those that were drawn along with it."""

    spread: int
    more: list[int] = []


class Rendered(BaseModel):
    """A spread and how many of its variations were rendered."""

    kind: Literal["vary"] = "vary"
    spread: int
    rendered: int


def _draw(studio: Studio, library: Library, wanted: Drawing, progress: Progress) -> Rendered:
    return Rendered(spread=wanted.spread, rendered=sum(render(studio, library, one, progress) for one in (wanted.spread, *wanted.more)))


DRAW = Kind("vary", Drawing, _draw)
