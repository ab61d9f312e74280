"""What a server does first: it takes up what an earlier one left, and sweeps what that left half-written."""

from __future__ import annotations

import contextlib
import shutil
import time

from sqlalchemy import select

from oskren.core.audio.replacing import sweep
from oskren.core.errors import OskrenError
from oskren.store import Library
from oskren.store.documents import films
from oskren.store.tables import Draw, Spread
from oskren.work.engine import journal
from oskren.work.engine.studio import Studio
from oskren.work.gather.offloading import OFFLOAD, STAGED
from oskren.work.kinds import KINDS
from oskren.work.vary.spreads import DRAW, Drawing

OUT_S = 3600.0
"""Files rendered to be dragged out that nobody came for are swept after this time."""


def take_up(studio: Studio) -> None:
    """Settle what killed shipments and exports left, go on with jobs, sweep the home's own folders, and draw what is left of spreads."""
    home = studio.home.folder
    journal.settle_all(home)
    studio.jobs.take_up(KINDS)
    staged = () if studio.jobs.arguments(OFFLOAD) else (home / "run").glob(f"{STAGED}*")
    for old in (*(home / "run").glob("out-*"), *staged, *home.glob(".restoring-*")):
        with contextlib.suppress(OSError):
            if time.time() - old.stat().st_mtime > OUT_S:
                shutil.rmtree(old, ignore_errors=True)
    for old in (*(home / "run").glob("question-*.cancel"), *(home / "run").glob("*.along")):
        old.unlink(missing_ok=True)
    for name in studio.home.names():
        with contextlib.suppress(OskrenError):
            library = studio.home.library(name)
            for folder in (*(library.folder / "media").glob("*"), library.folder / films.FOLDER):
                sweep(folder)
            go_on_drawing(studio, library)
    for folder in (home / "peaks").glob("*"):
        sweep(folder)


def go_on_drawing(studio: Studio, library: Library) -> list[int]:
    """Start rendering what is left of every spread that no job is at; the jobs."""
    going = {one.spread for one in studio.jobs.arguments(DRAW)}
    with library.reading() as session:
        half = {spread for spread, facts in session.execute(select(Draw.spread_id, Draw.facts)) if not facts} - going
        rows = [(row.id, row.name) for row in session.scalars(select(Spread).where(Spread.id.in_(half)).order_by(Spread.id))]
    return [studio.jobs.start(DRAW, library, f"Going on with drawing {name}", Drawing(spread=spread)).id for spread, name in rows]
