"""Shipments of the app: a sheet made of sounds of the library, run as a job and remembered."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel

from oskren.core.errors import NotFound, OskrenError
from oskren.core.nodes.model import Node
from oskren.core.ship.draft import OnSheet
from oskren.core.ship.sheet import Beside, Given, Sheet
from oskren.core.ship.target import Target
from oskren.core.ship.write import meant
from oskren.core.types import Failed
from oskren.store import Library
from oskren.store.describe.keeping import note_uses
from oskren.store.documents import shipments as kept
from oskren.store.tables import Shipment
from oskren.work.engine.jobs import Arguments, Kind
from oskren.work.engine.progress import ALONE, Progress
from oskren.work.engine.studio import Studio
from oskren.work.ship.items import items_on
from oskren.work.ship.sheets import as_present, planned_files, ship, titled_items

MOST_TOLD = 50
"""Failures a job tells of; the report holds them all."""


def sheet_of(studio: Studio, library: Library, name: str, wanted: OnSheet, targets: list[Target], beside: Beside = Beside(), given: Given = Given()) -> Sheet:
    """A sheet of what is on it, as it is now, sounds each as it was heard where that is said."""
    if not wanted.count:
        raise OskrenError("The sheet is empty; choose one-shots or other sounds for it.")
    items = tuple(given.to(one) for one in items_on(studio, library, wanted))
    return Sheet(name=name, items=items, targets=tuple(targets), beside=beside, counted=tuple(wanted.numbers))


def begin(library: Library, sheet: Sheet, folder: Path, project: int = 1, allowed: Collection[str] = ()) -> int:
    """Note a shipment before it runs, so that it can be taken up again after a kill; its id."""
    with library.writing() as session:
        row = Shipment(name=sheet.name, folder=str(folder), sheet={**sheet.model_dump(mode="json"), "allowed": sorted(allowed)}, project=project)
        session.add(row)
        session.flush()
        note_uses(session, "shipment", row.id, [item.node for item in sheet.items], row.project)
    library.columns.touch_uses()
    return row.id


def run(studio: Studio, library: Library, shipment: int, progress: Progress = ALONE) -> Shipped:
    """Run (or go on with) a shipment. Files finished before are found unchanged and not rendered again."""
    row = kept.shipment(library, shipment)
    _set(library, shipment, state="running")
    try:
        sheet = Sheet.model_validate({name: value for name, value in row.sheet.items() if name != "allowed"})
        result = ship(studio, library, sheet, Path(row.folder), progress, row.sheet.get("allowed", ()))
    except BaseException:
        _set(library, shipment, state="interrupted")
        raise
    _set(
        library,
        shipment,
        state="failed" if result.failed else "done",
        reports=[report.model_dump() for report in result.reports],
        failed=result.failed,
        unchanged=result.unchanged,
    )
    return Shipped(
        shipment=shipment,
        files=len(result.reports),
        unchanged=len(result.unchanged),
        failed=len(result.failed),
        failures=result.failed[:MOST_TOLD],
        over=result.over,
    )


def _set(library: Library, shipment: int, **values: Any) -> None:
    with library.writing() as session:
        row = session.get(Shipment, shipment)
        if row is not None:
            for name, value in values.items():
                setattr(row, name, value)


def mark_interrupted(library: Library) -> None:
    """At start: what was running when the server ended is interrupted and can be gone on with."""
    from sqlalchemy import update

    with library.writing() as session:
        session.execute(update(Shipment).where(Shipment.state == "running").values(state="interrupted"))


class Shipping(Arguments):
    """Run a shipment, or go on with it."""

    shipment: int


class Shipped(BaseModel):
    """What came of a shipment, in numbers; the first failures, and the sounds not written because they go over full scale."""

    kind: Literal["ship"] = "ship"
    shipment: int
    files: int
    unchanged: int
    failed: int
    failures: list[Failed]
    over: list[str]


SHIP = Kind("ship", Shipping, lambda studio, library, wanted, progress: run(studio, library, wanted.shipment, progress), pauses=True)


def heard(studio: Studio, library: Library, shipment: int, path: str) -> tuple[Node, Node | None]:
    """A shipped file as it was written, to listen to, and what it was meant to be; None where that is not there any more.

    Raises
    ------
    NotFound
        When the shipment wrote no such file.
    """
    row = kept.shipment(library, shipment)
    if path not in {report["path"] for report in row.reports}:
        raise NotFound(f"The shipment {row.name} has no file {path}.")
    written = library.listen_to(Path(row.folder) / path)
    sheet = Sheet.model_validate({name: value for name, value in row.sheet.items() if name != "allowed"})
    items = as_present(library, sheet.items)
    files, _ = planned_files(studio, sheet.name, titled_items(studio, library, items), sheet.targets, before=sheet.counted)
    one = next((one for one in files if one.path == path), None)
    return written, None if one is None else meant(studio.renderer(library), items[one.item], sheet.targets[one.target])
