"""Spreads: variations of a design drawn, rendered, judged and printed."""

from __future__ import annotations

import importlib.metadata
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import select

import oskren
from oskren.core.errors import OskrenError
from oskren.core.measure.report import Measures
from oskren.core.nodes.digest import node_hash
from oskren.core.nodes.missing import without_missing
from oskren.core.nodes.model import Mix, NodeAdapter
from oskren.core.vary.recipe import Recipe, draw
from oskren.store import Library
from oskren.store.describe.keeping import note_uses
from oskren.store.documents.revisions import step_on, take_off
from oskren.store.documents.spreads import spread_row
from oskren.store.tables import Draw, Spread
from oskren.work.engine import tasks
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio


def versions() -> str:
    """The versions that decide whether a draw sounds the same to the sample."""
    return f"Oskren {oskren.__version__}, soxr {importlib.metadata.version('soxr')}, python-stretch {importlib.metadata.version('python-stretch')}"


def make(library: Library, name: str, design: int | None, mix: Mix, recipe: Recipe, seed: int, count: int, project: int = 1) -> int:
    """Write a spread with its draws, not rendered yet; its id."""
    mixes = [draw(mix, recipe, seed, number) for number in range(1, count + 1)]
    with library.writing() as session:
        spread = Spread(design_id=design, name=name, seed=seed, mix=mix.model_dump(mode="json"), recipe=recipe.model_dump(mode="json"), made_with=versions())
        spread.project = project
        session.add(spread)
        session.flush()
        note_uses(session, "spread", spread.id, [mix], project)
        for number, one in enumerate(mixes, 1):
            session.add(Draw(spread_id=spread.id, number=number, digest=node_hash(one), mix=one.model_dump(mode="json")))
    library.columns.touch_uses()
    return spread.id


def render(studio: Studio, library: Library, spread: int, progress: Progress = ALONE) -> int:
    """Render and measure every draw that has no facts yet; how many. Layers whose file is missing are passed over.

    Raises
    ------
    OskrenError
        When some cannot be rendered; the others are.
    """
    with library.reading() as session:
        rows = list(session.scalars(select(Draw).where(Draw.spread_id == spread).order_by(Draw.number)))
    todo = [row for row in rows if not row.facts]
    place = studio.place(library, *(NodeAdapter.validate_python(row.mix) for row in todo), flag=progress.flag)
    mixes = [without_missing(NodeAdapter.validate_python(row.mix), place.gone)[0].model_dump(mode="json") for row in todo]
    failed: list[str] = []
    for position, made in studio.batch([(tasks.facts_or_reason, place, mix) for mix in mixes], progress):
        if "reason" in made:
            failed.append(f"No {todo[position].number}: {made['reason']}")
            continue
        with library.writing() as session:
            row = session.get(Draw, todo[position].id)
            if row is not None:
                row.outline = made["outline"]
                row.facts = {"rate": made["rate"], "channels": made["channels"], "frames": made["frames"], "zero": made["zero"], "measures": made["measures"]}
    if failed:
        raise OskrenError(f"{len(todo) - len(failed)} of {len(todo)} variations were drawn; {failed[0]}")
    return len(todo)


def redraw_dropped(library: Library, spread: int) -> tuple[int, list[int]]:
    """Give every dropped draw a new number, so that it is drawn anew; how many, and the projects whose sheet some were on."""
    with library.writing() as session:
        row = spread_row(session, spread)
        step_on(row, None, row.name)
        mix, recipe = Mix.model_validate(row.mix), Recipe.model_validate(row.recipe)
        draws = list(session.scalars(select(Draw).where(Draw.spread_id == spread)))
        highest = max((one.number for one in draws), default=0)
        dropped = [one for one in draws if one.state == "dropped"]
        for one in dropped:
            highest += 1
            fresh = draw(mix, recipe, row.seed, highest)
            one.number, one.digest, one.mix, one.state, one.facts, one.outline = highest, node_hash(fresh), fresh.model_dump(mode="json"), "unheard", {}, b""
        return len(dropped), take_off(session, "draws", {one.id for one in dropped})


def print_kept(studio: Studio, library: Library, spread: int, progress: Progress = ALONE) -> list[int]:
    """Print the kept draws to the library, numbered; the new sounds' ids."""
    with library.reading() as session:
        head = session.get(Spread, spread)
        kept = list(session.scalars(select(Draw).where(Draw.spread_id == spread, Draw.state == "kept").order_by(Draw.number)))
    if head is None or not kept:
        raise OskrenError("No variation of this spread is kept yet; keep at least one (K) and print again.")
    arrival = library.arrival(f"Variations of {head.name}")
    made = []
    for place, one in enumerate(kept, 1):
        facts = one.facts
        if not facts:
            raise OskrenError("The variations are still being rendered; print when they are ready.")
        node = Mix.model_validate(one.mix)
        made.append(
            library.add_made(
                f"{head.name} {place:02d}",
                "variation",
                node,
                facts["rate"],
                facts["channels"],
                facts["frames"],
                Measures(**facts["measures"]),
                one.outline,
                arrival,
                layout=facts.get("layout", ""),
            )
        )
        progress.at(place, len(kept))
    return made


class Drawing(Arguments):
    """Render what is not rendered yet of a spread."""

    spread: int


class Rendered(BaseModel):
    """A spread and how many of its variations were rendered."""

    kind: Literal["vary"] = "vary"
    spread: int
    rendered: int


def _draw(studio: Studio, library: Library, wanted: Drawing, progress: Progress) -> Rendered:
    return Rendered(spread=wanted.spread, rendered=render(studio, library, wanted.spread, progress))


DRAW = Kind("vary", Drawing, _draw)
