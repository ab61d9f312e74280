"""What a server does first: it takes up what an earlier one left, and sweeps what that left half-written."""

from __future__ import annotations

import contextlib
import shutil
import time
from typing import Any

from sqlalchemy import select

from oskren.core.audio.files import sweep
from oskren.core.errors import OskrenError
from oskren.store import Library
from oskren.store.tables import Draw, Spread
from oskren.work import journal, spreads
from oskren.work.jobs import Job
from oskren.work.studio import Studio

OUT_S = 3600.0
"""Files rendered to be dragged out that nobody came for are swept after this time."""


def take_up(studio: Studio) -> None:
    """Settle what killed shipments and exports left, sweep the home's own folders, and go on with spreads that are half drawn."""
    home = studio.home.folder
    journal.settle_all(home)
    for old in (*(home / "run").glob("out-*"), *(home / "run").glob("offload-*"), *home.glob(".restoring-*")):
        with contextlib.suppress(OSError):
            if time.time() - old.stat().st_mtime > OUT_S:
                shutil.rmtree(old, ignore_errors=True)
    for old in (home / "run").glob("question-*.cancel"):
        old.unlink(missing_ok=True)
    for name in studio.home.names():
        with contextlib.suppress(OskrenError):
            library = studio.home.library(name)
            for folder in (library.folder / "media").glob("*"):
                sweep(folder)
            go_on_drawing(studio, library)
    for folder in (home / "peaks").glob("*"):
        sweep(folder)


def go_on_drawing(studio: Studio, library: Library) -> list[int]:
    """Start rendering what is left of every spread; the jobs."""
    with library.reading() as session:
        half = {(draw.spread_id) for draw in session.scalars(select(Draw)) if not draw.facts}
        rows = [(row.id, row.name) for row in session.scalars(select(Spread).where(Spread.id.in_(half)).order_by(Spread.id))]

    def begin(spread: int, name: str) -> int:
        def work(job: Job) -> dict[str, Any]:
            return {"spread": spread, "rendered": spreads.render(studio, library, spread, job.progress, job.flag.exists, str(job.flag))}

        return studio.jobs.start("vary", f"Going on with drawing {name}", work).id

    return [begin(spread, name) for spread, name in rows]
